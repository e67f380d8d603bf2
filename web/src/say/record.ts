// Recording what is said while a button is held, as the house takes it: one channel, 16 bits, 16,000 samples a second.

const rate = 16000;

// longest is the most that is recorded, in seconds; the house takes a little more.
const longest = 9.5;

// cannot says why this browser cannot record here, or undefined where it can.
export function cannot(): 'insecure' | 'unable' | undefined {
  if (!window.isSecureContext) return 'insecure';
  if (typeof navigator.mediaDevices?.getUserMedia !== 'function' || !('AudioWorklet' in window))
    return 'unable';
  return undefined;
}

// Recording is one that is under way.
export type Recording = {
  end: () => Promise<Blob>; // the recording, as a WAV file
  loudness: () => number; // of the last moment, 0 to 1
};

// record begins to record. It throws where the microphone is refused.
export async function record(): Promise<Recording> {
  const stream = await navigator.mediaDevices.getUserMedia({
    audio: { channelCount: 1, echoCancellation: false, noiseSuppression: true },
  });
  const context = new AudioContext();
  const blocks: Float32Array[] = [];
  let loud = 0;
  let frames = 0;
  const release = () => {
    stream.getTracks().forEach((t) => t.stop());
    return context.close();
  };
  try {
    await context.audioWorklet.addModule('/recorder.js');
    const node = new AudioWorkletNode(context, 'recorder', { numberOfOutputs: 0 });
    node.port.onmessage = (e: MessageEvent<Float32Array>) => {
      if (frames > longest * context.sampleRate) return;
      frames += e.data.length;
      blocks.push(e.data);
      loud = e.data.reduce((most, v) => Math.max(most, Math.abs(v)), 0);
    };
    context.createMediaStreamSource(stream).connect(node);
  } catch (e) {
    await release();
    throw e;
  }
  return {
    loudness: () => loud,
    end: async () => {
      const from = context.sampleRate;
      await release();
      return new Blob([wav(await resampled(joined(blocks), from))], { type: 'audio/wav' });
    },
  };
}

// joined is blocks one after another.
export function joined(blocks: Float32Array[]): Float32Array<ArrayBuffer> {
  const all = new Float32Array(blocks.reduce((n, b) => n + b.length, 0));
  let at = 0;
  for (const b of blocks) {
    all.set(b, at);
    at += b.length;
  }
  return all;
}

// resampled is sound with the samples a second that the house takes; the browser does it.
async function resampled(x: Float32Array<ArrayBuffer>, from: number): Promise<Float32Array> {
  if (x.length === 0 || from === rate) return x;
  const offline = new OfflineAudioContext(1, Math.ceil((x.length * rate) / from), rate);
  const buffer = offline.createBuffer(1, x.length, from);
  buffer.copyToChannel(x, 0);
  const source = offline.createBufferSource();
  source.buffer = buffer;
  source.connect(offline.destination);
  source.start();
  return (await offline.startRendering()).getChannelData(0);
}

// wav is the WAV file of sound between -1 and 1.
export function wav(x: Float32Array): ArrayBuffer {
  const out = new DataView(new ArrayBuffer(44 + 2 * x.length));
  const text = (at: number, s: string) => [...s].forEach((c, i) => out.setUint8(at + i, c.charCodeAt(0)));
  text(0, 'RIFF');
  out.setUint32(4, 36 + 2 * x.length, true);
  text(8, 'WAVEfmt ');
  out.setUint32(16, 16, true);
  out.setUint16(20, 1, true);
  out.setUint16(22, 1, true);
  out.setUint32(24, rate, true);
  out.setUint32(28, 2 * rate, true);
  out.setUint16(32, 2, true);
  out.setUint16(34, 16, true);
  text(36, 'data');
  out.setUint32(40, 2 * x.length, true);
  x.forEach((v, i) => out.setInt16(44 + 2 * i, Math.round(Math.max(-1, Math.min(1, v)) * 32767), true));
  return out.buffer;
}
