// Sending a recording in, with progress, and what a dropped file is.
import type { Recording } from '../api/client';
import { Problem } from '../api/client';

// Samples says what bare samples do not say themselves.
export type Samples = { rate_hz: number; datatype: string; frequency_hz: number };

const datatypes: Record<string, string> = {
  cu8: 'cu8',
  ci8: 'ci8',
  cs8: 'ci8',
  ci16: 'ci16_le',
  cs16: 'ci16_le',
  cf32: 'cf32_le',
  fc32: 'cf32_le',
};

// bareSamples is the datatype of samples alone by their name: "" where it has to be asked, undefined where the file
// is something else.
export function bareSamples(name: string): string | undefined {
  const end = name.toLowerCase().split('.').pop() ?? '';
  if (end in datatypes) return datatypes[end];
  return end === 'iq' || end === 'sigmf-data' ? '' : undefined;
}

// readMeta reads the metadata that lie beside samples in SigMF.
export function readMeta(text: string): Samples {
  const meta = JSON.parse(text) as {
    global?: Record<string, unknown>;
    captures?: Record<string, unknown>[];
  };
  return {
    rate_hz: Number(meta.global?.['core:sample_rate'] ?? 0),
    datatype: String(meta.global?.['core:datatype'] ?? ''),
    frequency_hz: Number(meta.captures?.[0]?.['core:frequency'] ?? 0),
  };
}

// upload sends the bytes of a recording. It ends early when the signal says so.
export function upload(
  data: Blob,
  name: string,
  samples: Samples | undefined,
  onProgress: (share: number) => void,
  signal: AbortSignal,
): Promise<Recording> {
  const query = new URLSearchParams({ name });
  Object.entries(samples ?? {}).forEach(([k, v]) => query.set(k, String(v)));
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest(); // fetch does not tell how far an upload is
    request.open('POST', `/api/bench/import?${query}`);
    request.responseType = 'json';
    request.upload.onprogress = (e) => onProgress(e.total > 0 ? e.loaded / e.total : 0);
    request.onload = () => {
      const body = request.response as Recording & { detail?: string };
      if (request.status < 300) resolve(body);
      else reject(new Problem(request.status, body?.detail ?? request.statusText));
    };
    request.onerror = () => reject(new Problem(0, 'The connection broke while the recording was sent.'));
    request.onabort = () => reject(new Problem(0, 'Stopped.'));
    signal.addEventListener('abort', () => request.abort());
    request.send(data);
  });
}
