import type { Trust } from './face';

// Mark is the sign: a mark on its baseline is on, the baseline alone is off. What is believed is dashed, what is
// doubtful dashed in grey, and what is being sent striped.
export function Mark({ on, trust, sending }: { on?: boolean; trust: Trust; sending?: boolean }) {
  const names = ['mark', trust, on ? 'on' : '', sending ? 'sending' : ''];
  return <span className={names.filter(Boolean).join(' ')} aria-hidden="true" />;
}
