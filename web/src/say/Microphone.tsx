import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useEffect, useRef, useState } from 'react';
import type { Heard } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { BrowserSpeech, hasOwn } from './BrowserSpeech';
import { cannot, record, type Recording } from './record';
import { useHear, useSpeech } from './queries';

const icon = 'M12 3a3 3 0 0 1 3 3v6a3 3 0 0 1-6 0V6a3 3 0 0 1 3-3z M6 11v1a6 6 0 0 0 12 0v-1 M12 18v3';

// Microphone records while it is held, and gives what was heard.
export function Microphone({ heard, begins }: { heard: (h: Heard) => void; begins: () => void }) {
  const speech = useSpeech();
  const hear = useHear();
  const [state, setState] = useState<'idle' | 'asking' | 'listening'>('idle');
  const [trouble, setTrouble] = useState('');
  const [loud, setLoud] = useState(0);
  const running = useRef<Recording>(undefined);
  const held = useRef(false);

  useEffect(() => {
    if (state !== 'listening') return;
    const timer = window.setInterval(() => setLoud(running.current?.loudness() ?? 0), 80);
    return () => window.clearInterval(timer);
  }, [state]);
  useEffect(
    () => () => {
      held.current = false;
      void running.current?.end();
    },
    [],
  );

  const finish = () => {
    held.current = false;
    const recording = running.current;
    running.current = undefined;
    if (!recording) return;
    setState('idle');
    recording.end().then(
      (file) => hear.mutate(file, { onSuccess: heard }),
      () => setTrouble(words.say.noMicrophone),
    );
  };
  const begin = async () => {
    if (held.current || hear.isPending) return;
    held.current = true;
    setTrouble('');
    hear.reset();
    begins();
    setState('asking');
    try {
      running.current = await record();
      setState('listening');
      if (!held.current) finish(); // it was let go of while the browser asked
    } catch {
      held.current = false;
      setState('idle');
      setTrouble(words.say.noMicrophone);
    }
  };

  const why = cannot();
  const missing = speech.data && !speech.data.program;
  if (!speech.data) return null;
  if (missing && !why && hasOwn()) return <BrowserSpeech heard={heard} begins={begins} />;
  if (why || missing) return <Note>{missing ? words.say.noProgram : words.say.cannot[why ?? 'unable']}</Note>;
  return (
    <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.5, flexWrap: 'wrap' }}>
      <Button
        variant={state === 'listening' ? 'contained' : 'outlined'}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          void begin();
        }}
        onPointerUp={finish}
        onPointerCancel={finish}
        onKeyDown={(e) => {
          if ((e.key === ' ' || e.key === 'Enter') && !e.repeat) {
            e.preventDefault();
            void begin();
          }
        }}
        onKeyUp={(e) => {
          if (e.key === ' ' || e.key === 'Enter') finish();
        }}
        onBlur={finish}
        onContextMenu={(e) => e.preventDefault()}
        disabled={hear.isPending}
        sx={{ minHeight: 48, touchAction: 'none', userSelect: 'none' }}
        startIcon={
          <svg
            width="20"
            height="20"
            viewBox="0 0 24 24"
            fill="none"
            stroke="currentColor"
            strokeWidth="1.8"
            aria-hidden
          >
            <path d={icon} strokeLinecap="round" strokeLinejoin="round" />
          </svg>
        }
      >
        {hear.isPending
          ? words.say.recognising
          : state === 'listening'
            ? words.say.listening
            : words.say.hold}
      </Button>
      {state === 'listening' && (
        <Box
          aria-hidden
          sx={{ width: 96, height: 8, bgcolor: 'divider', borderRadius: 4, overflow: 'hidden' }}
        >
          <Box
            sx={{ width: `${Math.min(100, Math.round(loud * 140))}%`, height: 1, bgcolor: 'primary.main' }}
          />
        </Box>
      )}
      <Box aria-live="polite" sx={{ flexBasis: '100%' }}>
        {trouble && <Note alert>{trouble}</Note>}
        {hear.error && <Note alert>{hear.error.message}</Note>}
      </Box>
    </Box>
  );
}
