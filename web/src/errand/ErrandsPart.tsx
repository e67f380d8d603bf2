import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Switch from '@mui/material/Switch';
import { useState } from 'react';
import type { Errand } from '../api/client';
import { useMay } from '../api/may';
import { cameLine, dueLine } from '../automate/lines';
import { NamedPart } from '../automate/Named';
import { words } from '../app/words';
import { Failed } from '../shared/Failed';
import { ErrandForm } from './ErrandForm';
import { Habits } from './Habits';
import { useErrands, useRunErrand, useSwitchErrand, useTryErrand } from './queries';
import { RehearsalView } from './RehearsalView';
import { Sentence } from './Sentence';
import { State } from './State';
import { Why } from './Why';

// ErrandsPart is what the house does by itself: each is one sentence, with when it is due, and why it ran or did not.
export function ErrandsPart({ arrange }: { arrange: boolean }) {
  const errands = useErrands();
  return (
    <>
      <NamedPart
        title={words.errands.title}
        add={words.errands.add}
        none={words.errands.none}
        list={errands}
        arrange={arrange}
        form={(onDone) => <ErrandForm onDone={onDone} />}
        line={(e) => <ErrandLine key={e.name} errand={e} arrange={arrange} />}
      />
      {arrange && <Habits />}
    </>
  );
}

type Open = 'why' | 'rehearse' | 'change' | '';

function ErrandLine({ errand: e, arrange }: { errand: Errand; arrange: boolean }) {
  const may = useMay();
  const [open, setOpen] = useState<Open>('');
  const run = useRunErrand();
  const turn = useSwitchErrand();
  const trial = useTryErrand();
  const toggle = (what: Open) => setOpen(open === what ? '' : what);
  const say = [
    e.error ?? '',
    e.trial ? words.errands.onTrial : '',
    e.holding ? words.errands.holds : '',
    e.last ? `${dueLine(e.last.at)}: ${cameLine(e.last)}` : '',
    e.gone.length > 0 ? words.automate.gone(e.gone) : '',
  ].filter(Boolean);
  const asked = e.last?.did === 'unknown';
  return (
    <Box
      component="article"
      aria-label={e.name}
      sx={{ py: 1.5, borderTop: '1px solid', borderColor: 'divider', '&:first-of-type': { borderTop: 0 } }}
    >
      <Box sx={{ display: 'grid', gridTemplateColumns: '46px minmax(0, 1fr)', columnGap: 1 }}>
        <Box sx={{ pt: 0.25 }}>
          <State on={e.on} trial={!!e.trial} />
        </Box>
        <Box>
          <Box
            sx={{
              display: 'flex',
              flexWrap: 'wrap',
              columnGap: 2,
              justifyContent: 'space-between',
              alignItems: 'baseline',
            }}
          >
            <Box component="h3" sx={{ m: 0, fontSize: 15, fontWeight: 600 }}>
              {e.name}
            </Box>
            <Box component="span" sx={{ fontWeight: 600 }}>
              {!e.on ? words.errands.off : e.next ? words.errands.due(dueLine(e.next)) : ''}
            </Box>
          </Box>
          {e.text && <Sentence text={e.text} off={!e.on} />}
          {say.length > 0 && (
            <Box sx={{ color: asked ? 'belief' : 'text.secondary', fontWeight: asked ? 600 : 400 }}>
              {say.join(' · ')}
            </Box>
          )}
          <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', columnGap: 0.5, ml: -0.75 }}>
            <Button
              size="small"
              aria-label={words.errands.whyName(e.name)}
              aria-expanded={open === 'why'}
              onClick={() => toggle('why')}
            >
              {words.errands.why}
            </Button>
            {may('use') && (
              <Button
                size="small"
                aria-label={words.automate.runName(e.name)}
                disabled={run.isPending || !!e.error}
                onClick={() => run.mutate(e.name)}
              >
                {words.automate.run}
              </Button>
            )}
            {arrange && (
              <>
                <Button
                  size="small"
                  aria-label={words.errands.rehearseName(e.name)}
                  aria-expanded={open === 'rehearse'}
                  onClick={() => toggle('rehearse')}
                >
                  {words.errands.rehearse}
                </Button>
                <Button
                  size="small"
                  aria-label={e.trial ? words.errands.realName(e.name) : words.errands.trialName(e.name)}
                  disabled={trial.isPending || !!e.error}
                  onClick={() => trial.mutate({ errand: e.name, trial: !e.trial })}
                >
                  {e.trial ? words.errands.real : words.errands.trial}
                </Button>
                <Button
                  size="small"
                  aria-label={words.errands.changeName(e.name)}
                  aria-expanded={open === 'change'}
                  onClick={() => toggle('change')}
                >
                  {words.errands.change}
                </Button>
                <Switch
                  checked={e.on}
                  disabled={turn.isPending || !!e.error}
                  sx={{ ml: 'auto' }}
                  slotProps={{ input: { 'aria-label': words.errands.switchName(e.name) } }}
                  onChange={(_, on) => turn.mutate({ errand: e.name, on })}
                />
              </>
            )}
          </Box>
          <Failed of={[run, turn, trial]} />
          {open === 'why' && <Why errand={e.name} />}
          {open === 'rehearse' && <RehearsalView errand={e.name} />}
          {open === 'change' && <ErrandForm errand={e} onDone={() => setOpen('')} />}
        </Box>
      </Box>
    </Box>
  );
}
