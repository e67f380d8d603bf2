import type { Stage } from '../api/client';
import { usePressHandset, useStage } from '../api/queries';
import { words } from '../app/words';
import { KeyButton } from '../shared/KeyButton';
import { Note, Panel } from '../shared/Panel';
import { FaceGrid } from './FaceGrid';

// StageHandset is the simulated handset of a device, where the house has a stage with one.
export function StageHandset({ slug }: { slug: string }) {
  const stage = useStage();
  const handset = stage.data?.handsets.find((h) => h.slug === slug);
  if (!handset) return null;
  return (
    <Panel title={words.lesson.onStage}>
      <StageKeys handset={handset} />
    </Panel>
  );
}

// StageKeys are the keys of a handset on the stage, held for so many ms.
export function StageKeys({ handset, hold = 0 }: { handset: Stage['handsets'][number]; hold?: number }) {
  const press = usePressHandset();
  return (
    <>
      <FaceGrid keys={handset.keys}>
        {(key) => <KeyButton name={key} onPress={() => press.mutate({ handset: handset.slug, key, hold })} />}
      </FaceGrid>
      {press.error && <Note alert>{press.error.message}</Note>}
    </>
  );
}
