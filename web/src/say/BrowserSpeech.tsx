import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useRef, useState } from 'react';
import type { Heard } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';

// Recognition is the part of the browser's own speech recognition that is used here.
type Recognition = {
  lang: string;
  onresult: ((e: { results: { transcript: string }[][] }) => void) | null;
  onerror: ((e: { error: string }) => void) | null;
  onend: (() => void) | null;
  start: () => void;
  abort: () => void;
};

type Maker = new () => Recognition;

// own is the browser's own recognition, where it has one.
const own = (): Maker | undefined => {
  const w = window as unknown as { SpeechRecognition?: Maker; webkitSpeechRecognition?: Maker };
  return w.SpeechRecognition ?? w.webkitSpeechRecognition;
};

// hasOwn says whether the browser recognises speech by itself.
export const hasOwn = (): boolean => own() !== undefined;

// BrowserSpeech lets the browser recognise what is said, where the house has no program for that. What it heard is shown
// as everything else, and never done at once.
export function BrowserSpeech({ heard, begins }: { heard: (h: Heard) => void; begins: () => void }) {
  const [listens, setListens] = useState(false);
  const [trouble, setTrouble] = useState('');
  const running = useRef<Recognition>(undefined);
  const begin = () => {
    const Maker = own();
    if (!Maker) return;
    if (listens) {
      running.current?.abort();
      return;
    }
    begins();
    setTrouble('');
    const r = new Maker();
    running.current = r;
    r.lang = 'en';
    r.onresult = (e) => heard({ text: e.results[0]?.[0]?.transcript ?? '', done: false });
    r.onerror = (e) => e.error !== 'aborted' && setTrouble(words.say.browserFailed(e.error));
    r.onend = () => setListens(false);
    setListens(true);
    r.start();
  };
  return (
    <Box>
      <Button variant={listens ? 'contained' : 'outlined'} sx={{ minHeight: 48 }} onClick={begin}>
        {listens ? words.say.browserListens : words.say.browserSpeak}
      </Button>
      <Note>{words.say.browserHow}</Note>
      {trouble && <Note alert>{trouble}</Note>}
    </Box>
  );
}
