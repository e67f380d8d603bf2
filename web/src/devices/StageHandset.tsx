import Box from '@mui/material/Box';
import { usePressHandset, useStage } from '../api/queries';
import { words } from '../app/words';
import { KeyButton } from '../shared/KeyButton';
import { Note, Panel } from '../shared/Panel';
import { face } from './face';

// StageHandset is the simulated handset of a device, where the house has a stage with one.
export function StageHandset({ slug }: { slug: string }) {
  const stage = useStage();
  const press = usePressHandset();
  const handset = stage.data?.handsets.find((h) => h.slug === slug);
  if (!handset) return null;
  return (
    <Panel title={words.lesson.onStage}>
      <Box sx={{ display: 'grid', gridTemplateColumns: 'repeat(3, minmax(0, 1fr))', gap: 1, maxWidth: 340 }}>
        {face(handset.keys).flatMap((row, y) =>
          row.map((key, x) =>
            key === null ? (
              <span key={`${y}-${x}`} />
            ) : (
              <KeyButton key={key} name={key} onPress={() => press.mutate({ handset: handset.slug, key })} />
            ),
          ),
        )}
      </Box>
      {press.error && <Note alert>{press.error.message}</Note>}
    </Panel>
  );
}
