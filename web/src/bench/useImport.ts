import { useRef, useState } from 'react';
import type { Recording } from '../api/client';
import { words } from '../app/words';
import { bareSamples, readMeta, upload, type Samples } from './upload';

// useImport sends recordings in, one at a time.
export function useImport() {
  const [share, setShare] = useState<number | null>(null); // that is sent; null while nothing is
  const [result, setResult] = useState<Recording | null>(null);
  const [error, setError] = useState('');
  const [waiting, setWaiting] = useState<File | null>(null); // samples that need to be told about
  const stopper = useRef<AbortController | null>(null);

  const send = async (data: Blob, name: string, samples?: Samples) => {
    stopper.current?.abort();
    const stop = new AbortController();
    stopper.current = stop;
    setWaiting(null);
    setError('');
    setResult(null);
    setShare(0);
    try {
      setResult(await upload(data, name, samples, setShare, stop.signal));
      return true;
    } catch (e) {
      if (!stop.signal.aborted) setError((e as Error).message);
      return false;
    } finally {
      if (stopper.current === stop) setShare(null);
    }
  };

  // Of several files, metadata in SigMF belong to the samples beside them.
  const files = async (all: File[]) => {
    const meta = all.find((f) => f.name.endsWith('.sigmf-meta'));
    const data = all.find((f) => f !== meta);
    if (!data) {
      setError(words.bench.metaAlone);
      return;
    }
    if (meta) {
      try {
        await send(data, data.name, readMeta(await meta.text()));
      } catch {
        setError(words.bench.metaBroken);
      }
      return;
    }
    if (bareSamples(data.name) === undefined) await send(data, data.name);
    else setWaiting(data);
  };

  return {
    share,
    result,
    error,
    asking: waiting?.name ?? null,
    files,
    text: (text: string) => send(new Blob([text]), words.bench.pasted),
    give: (s: Samples) => waiting && void send(waiting, waiting.name, s),
    cancel: () => {
      stopper.current?.abort();
      setShare(null);
      setWaiting(null);
    },
  };
}
