import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import type { Audition } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { isOver, ready, steps } from './phase';
import { useAuditionStep } from './useAudition';

type Props = { audition: Audition; onAgain: () => void; children?: ReactNode };

// AuditionRun is an audition as it goes: one big prompt, one big answer, and how far it is.
export function AuditionRun({ audition: a, onAgain, children }: Props) {
  const step = useAuditionStep(a.id);
  const { big, small } = steps(a);
  return (
    <>
      <Box
        aria-live="assertive"
        sx={{
          py: { xs: 2, md: 3 },
          borderTop: 2,
          borderColor: 'text.primary',
          mt: 1,
          minHeight: { xs: 176, md: 150 },
        }}
      >
        <Typography
          variant="h1"
          component="p"
          sx={{ fontSize: { xs: '1.6rem', md: '2.1rem' }, textWrap: 'balance' }}
        >
          {a.prompt}
        </Typography>
        {!isOver(a) && (
          <Box sx={{ color: 'text.secondary', mt: 0.5 }}>
            {words.audition.progress(a.played, a.codes, a.phase === 'playing' ? a.left_ms / 1000 : 0)}
          </Box>
        )}
        {a.trouble && <Note alert>{words.audition.trouble(a.trouble)}</Note>}
      </Box>
      {!isOver(a) && (
        <LinearProgress
          variant="determinate"
          aria-label={words.audition.progressBar}
          value={(100 * a.played) / a.codes}
          sx={{ height: 6, mb: 2, bgcolor: 'divider', '& span': { bgcolor: 'transmitted' } }}
        />
      )}
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: `repeat(${big.length || 1}, minmax(0, 1fr))`,
          gap: 1.5,
          maxWidth: 520,
        }}
      >
        {big.map((s) => (
          <Button
            key={s}
            variant={s === 'no' || s === 'unsure' ? 'outlined' : 'contained'}
            disabled={!ready(a, s)}
            sx={{ minHeight: 72, fontSize: { xs: 17, md: 20 }, lineHeight: 1.2 }}
            onClick={() => step.mutate(s)}
          >
            {s === 'reacted' && a.function === 'climate' ? words.audition.shows : words.audition.steps[s]}
          </Button>
        ))}
      </Box>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap', mt: 2 }}>
        {small.map((s) => (
          <Button
            key={s}
            variant={s === 'finish' ? 'text' : 'outlined'}
            disabled={!ready(a, s)}
            onClick={() => step.mutate(s)}
          >
            {words.audition.steps[s]}
          </Button>
        ))}
        {isOver(a) && (
          <Button variant="outlined" onClick={onAgain}>
            {words.audition.another}
          </Button>
        )}
      </Box>
      <Failed of={[step]} />
      {children}
      <Walked audition={a} />
      {a.refused.length > 0 && (
        <Panel title={words.audition.refused}>
          {a.refused.map((r) => (
            <Note key={r.name}>{r.text}</Note>
          ))}
        </Panel>
      )}
    </>
  );
}

const signs = { yes: '✓', no: '✕', unsure: '?', skip: '–', open: '·', doubted: '✕' };

// Walked lists the keys of the set that is walked through, and what was said of them.
function Walked({ audition: a }: { audition: Audition }) {
  if (a.answers.length === 0) return null;
  return (
    <Panel title={words.audition.walked(a.set ?? '')}>
      <Box component="ul" sx={{ m: 0, p: 0, listStyle: 'none', columns: { xs: 2, sm: 3 }, maxWidth: 620 }}>
        {a.answers.map((k) => (
          <Box
            component="li"
            key={k.key}
            sx={{
              display: 'flex',
              alignItems: 'baseline',
              gap: 1,
              py: 0.5,
              fontWeight: k.key === a.key ? 600 : 400,
            }}
          >
            <Box component="span" aria-hidden="true" sx={{ width: 16 }}>
              {k.key === a.key ? '▸' : signs[k.answer]}
            </Box>
            <span>{label(k.key)}</span>
            <Box component="span" sx={{ color: 'text.secondary', fontSize: 14 }}>
              {words.audition.answers[k.answer]}
            </Box>
          </Box>
        ))}
      </Box>
    </Panel>
  );
}
