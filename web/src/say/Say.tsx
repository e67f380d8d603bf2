import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import { useEffect, useState, type FormEvent } from 'react';
import type { Heard, Understood } from '../api/client';
import { words } from '../app/words';
import { useRuns } from '../automate/queries';
import { Failed } from '../shared/Failed';
import { Note } from '../shared/Panel';
import { costOf } from './cost';
import { Microphone } from './Microphone';
import { useSay, useUnderstood } from './queries';

const icon = 'M4 5h16v10H11l-4 4v-4H4z M8 10h.01 M12 10h.01 M16 10h.01';

// SayButton opens the field for phrases, which Ctrl K opens on every page.
export function SayButton() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const pressed = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && !e.altKey && e.key.toLowerCase() === 'k') {
        e.preventDefault();
        setOpen(true);
      }
    };
    window.addEventListener('keydown', pressed);
    return () => window.removeEventListener('keydown', pressed);
  }, []);
  return (
    <>
      <Box
        component="button"
        type="button"
        onClick={() => setOpen(true)}
        title="Ctrl K"
        sx={{
          flex: { xs: 1, md: 'none' },
          minHeight: 60,
          display: 'flex',
          flexDirection: 'column',
          alignItems: 'center',
          justifyContent: 'center',
          gap: 0.25,
          py: 1,
          mt: { md: 'auto' },
          mb: { md: 2 },
          color: 'text.secondary',
          bgcolor: 'transparent',
          border: 0,
          borderTop: { xs: '3px solid transparent', md: 0 },
          font: 'inherit',
          fontSize: 13,
          cursor: 'pointer',
          '&:focus-visible': { outline: '3px solid', outlineOffset: -4 },
        }}
      >
        <svg
          width="24"
          height="24"
          viewBox="0 0 24 24"
          fill="none"
          stroke="currentColor"
          strokeWidth="1.6"
          aria-hidden="true"
        >
          <path d={icon} strokeLinejoin="round" strokeLinecap="round" />
        </svg>
        {words.say.open}
      </Box>
      {open && <Say close={() => setOpen(false)} />}
    </>
  );
}

// Say is the field, with what the phrase means and costs before it is done.
function Say({ close }: { close: () => void }) {
  const [text, setText] = useState('');
  const [asked, setAsked] = useState('');
  const [done, setDone] = useState<Understood>(); // by a spoken phrase that is trusted
  const say = useSay();
  useEffect(() => {
    const timer = window.setTimeout(() => setAsked(text.trim()), 150);
    return () => window.clearTimeout(timer);
  }, [text]);
  const understood = useUnderstood(asked);
  const typed = text.trim();
  const current = asked === typed && !understood.isPlaceholderData ? understood.data : undefined;
  const change = (to: string) => {
    say.reset();
    setDone(undefined);
    setText(to);
  };
  const heard = (h: Heard) => {
    change(h.text);
    if (h.done) setDone(h.understood);
  };
  const over = say.isSuccess || done !== undefined;
  const act = (e: FormEvent) => {
    e.preventDefault();
    if (!current?.words || current.does === 'question' || say.isPending || over) return;
    say.mutate({ text: typed, shown: current.words });
  };
  return (
    <Dialog
      open
      onClose={close}
      fullWidth
      maxWidth="sm"
      sx={{ '& .MuiDialog-container': { alignItems: 'flex-start' } }}
      aria-labelledby="say-title"
    >
      <DialogTitle id="say-title">{words.say.title}</DialogTitle>
      <DialogContent>
        <form onSubmit={act}>
          <TextField
            fullWidth
            autoFocus
            label={words.say.field}
            placeholder={words.say.example}
            value={text}
            onChange={(e) => change(e.target.value)}
            slotProps={{ htmlInput: { maxLength: 500, autoComplete: 'off', spellCheck: false } }}
            sx={{ mt: 1 }}
          />
          <Box sx={{ minHeight: 96, pt: 1.5 }} aria-live="polite">
            {typed !== '' && !over && current && <Meaning of={current} choose={change} />}
            {typed !== '' && asked === typed && understood.error && (
              <Note alert>{understood.error.message}</Note>
            )}
            {typed === '' && <Note>{words.say.hint}</Note>}
            {say.data && <Outcome of={say.data} />}
            {done && <Outcome of={done} />}
            <Failed of={[say]} />
          </Box>
          <Microphone heard={heard} begins={() => change('')} />
          <Box sx={{ display: 'flex', gap: 1, justifyContent: 'flex-end', pt: 1 }}>
            <Button onClick={close}>{words.say.close}</Button>
            <Button
              type="submit"
              variant="contained"
              disabled={!current?.words || current.does === 'question' || say.isPending || over}
            >
              {words.say.doIt}
            </Button>
          </Box>
        </form>
      </DialogContent>
    </Dialog>
  );
}

// Meaning is what a phrase means and costs, or the question that it leaves.
function Meaning({ of: u, choose }: { of: Understood; choose: (say: string) => void }) {
  if (u.does === 'question') {
    return (
      <>
        <Note>{u.question}</Note>
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, pb: 1 }}>
          {u.choices?.map((c) => (
            <Button key={c.say} size="small" variant="outlined" onClick={() => choose(c.say)}>
              {c.words}
            </Button>
          ))}
        </Box>
      </>
    );
  }
  return (
    <>
      <Box sx={{ fontWeight: 600 }}>{u.words}</Box>
      <Note>{costOf(u)}</Note>
      {u.trouble && <Note alert>{words.say.trouble(u.trouble)}</Note>}
    </>
  );
}

// Outcome is what became of a phrase that was done.
function Outcome({ of: u }: { of: Understood }) {
  const runs = useRuns();
  const run = runs.data?.find((r) => r.id === u.run?.id) ?? u.run;
  return (
    <>
      <Box sx={{ fontWeight: 600 }}>{u.words}</Box>
      {run && run.phase !== 'ended' && <Note>{words.say.doing}</Note>}
      {run?.phase === 'ended' && run.end === 'done' && <Note>{words.say.done}</Note>}
      {run?.phase === 'ended' && run.end !== 'done' && (
        <Note alert>{words.say.stopped(run.end ?? '', run.reason ?? '')}</Note>
      )}
      {!run && <Note>{words.say.done}</Note>}
    </>
  );
}
