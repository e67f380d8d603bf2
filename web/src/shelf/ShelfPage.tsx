import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { Link } from 'react-router';
import type { CodeSet } from '../api/client';
import { useSets } from '../api/queries';
import { useAdoptSet, useKeepSet, useRemoveSet } from './queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Heading, Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label, sends } from '../shared/text';
import { WithDevice } from './WithDevice';

// ShelfPage is the code sets by kind of device.
export default function ShelfPage() {
  const sets = useSets();
  const keep = useKeepSet();
  const kinds = Map.groupBy(sets.data ?? [], (s) => s.kind || 'other');
  return (
    <>
      <Box component={Link} to="/devices" sx={{ color: 'text.secondary', display: 'inline-block', py: 1 }}>
        {words.device.back}
      </Box>
      <Heading title={words.shelf.title} under={words.shelf.how} />
      <Failed of={[sets]} />
      <Panel title={words.shelf.keep}>
        <WithDevice
          label={words.shelf.of}
          action={words.shelf.keepDo}
          done={keep.data && words.shelf.kept(keep.data.name)}
          error={keep.error}
          onDo={(device) => keep.mutate(device)}
        />
      </Panel>
      {sets.data?.length === 0 && <Note>{words.shelf.none}</Note>}
      {[...kinds].map(([kind, list]) => (
        <Panel key={kind} title={label(kind)}>
          {list.map((s) => (
            <SetRow key={s.slug} set={s} />
          ))}
        </Panel>
      ))}
    </>
  );
}

function SetRow({ set }: { set: CodeSet }) {
  const remove = useRemoveSet();
  const adopt = useAdoptSet(set.slug);
  return (
    <Box component="details" sx={{ '& + &': { borderTop: '1px dotted', borderColor: 'divider' } }}>
      <Box component="summary" sx={{ minHeight: 44, py: 1.25, cursor: 'pointer' }}>
        <strong>{set.name}</strong>{' '}
        <Box component="span" sx={{ color: 'text.secondary' }}>
          {set.frames ? words.shelf.frames(set.frames) : words.packs.keys(set.keys.length)}
        </Box>
      </Box>
      <Box
        component="dl"
        sx={{
          m: 0,
          pl: 2.5,
          display: 'grid',
          gridTemplateColumns: 'minmax(84px, auto) minmax(0, 1fr)',
          columnGap: 3,
        }}
      >
        {set.keys.map((k) => (
          <Box key={k.key} sx={{ display: 'contents' }}>
            <dt>{label(k.key)}</dt>
            <Box component="dd" sx={{ m: 0, fontFamily: mono, fontSize: 14, overflowWrap: 'anywhere' }}>
              {(k.codes ?? []).map(sends).join(', ')}
            </Box>
          </Box>
        ))}
      </Box>
      <Box sx={{ pl: 2.5, pt: 1.5 }}>
        <WithDevice
          label={words.shelf.giveTo}
          action={words.shelf.give}
          done={adopt.data && words.shelf.given(adopt.data.name)}
          error={adopt.error}
          onDo={(device) => adopt.mutate(device)}
        />
      </Box>
      <Box sx={{ display: 'flex', gap: 1, pl: 2.5, pb: 1.5, pt: 1 }}>
        <Button
          component="a"
          href={`/api/packs?sets=${set.slug}`}
          download={`${set.slug}.json`}
          size="small"
          variant="outlined"
        >
          {words.shelf.save}
        </Button>
        <Button size="small" onClick={() => remove.mutate(set.slug)}>
          {words.shelf.remove}
        </Button>
      </Box>
      <Failed of={[remove]} />
    </Box>
  );
}
