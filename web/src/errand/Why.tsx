import Box from '@mui/material/Box';
import { dueLine } from '../automate/lines';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { useCame } from './queries';

// Answer is what a question of a condition answered: a square, full where it was so, hollow where it was not, and dashed
// where nobody knew.
export function Answer({ asked, is }: { asked: string; is: string }) {
  const look =
    is === 'yes'
      ? { bgcolor: 'received', border: '2px solid', borderColor: 'received' }
      : is === 'no'
        ? { border: '2px solid', borderColor: 'text.secondary' }
        : { border: '2px dashed', borderColor: 'belief' };
  return (
    <Box component="li" sx={{ display: 'flex', gap: 1.25, alignItems: 'baseline', minHeight: 28 }}>
      <Box component="span" aria-hidden sx={{ flex: '0 0 13px', height: 13, alignSelf: 'center', ...look }} />
      <span>
        {asked}: {is === 'unknown' ? words.day.unknown : is}
      </span>
    </Box>
  );
}

// Why is what came for an errand lately, and what was made of it.
export function Why({ errand }: { errand: string }) {
  const came = useCame(errand);
  if (came.error) return <Note alert>{came.error.message}</Note>;
  if (came.data?.length === 0) return <Note>{words.errands.nothingCame}</Note>;
  return (
    <Box
      component="ul"
      aria-label={words.errands.came}
      sx={{
        m: 0,
        mt: 1,
        p: 0,
        pl: 2,
        borderLeft: 3,
        borderColor: 'divider',
        listStyle: 'none',
        maxWidth: '80ch',
      }}
    >
      {came.data?.slice(0, 12).map((c, i) => (
        <Box component="li" key={c.at + c.cue + i} sx={{ py: 0.75 }}>
          <Box component="span" sx={{ color: 'text.secondary' }}>
            {dueLine(c.at)}
          </Box>{' '}
          {c.cue}: <strong style={{ fontWeight: 600 }}>{words.errands.did[c.did] ?? c.did}</strong>
          {c.reason ? `, ${c.reason}` : ''}
          {c.beside?.length ? `; ${words.errands.byHand(c.beside)}` : ''}
          {c.answers.length > 0 && (
            <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none' }}>
              {c.answers.map((a) => (
                <Answer key={a.asked} {...a} />
              ))}
            </Box>
          )}
        </Box>
      ))}
    </Box>
  );
}
