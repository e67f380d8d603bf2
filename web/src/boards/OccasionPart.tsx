import Button from '@mui/material/Button';
import { useState } from 'react';
import type { OccasionPlan, Tile, TileState } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { useOccasionPlan } from './queries';
import { useUse } from './useUse';

type What = 'start' | 'end' | 'right';

// OccasionPart is what can be done with an occasion, and what that would press.
export function OccasionPart({
  board,
  tile,
  state,
  onDone,
}: {
  board: string;
  tile: Tile;
  state?: TileState;
  onDone: () => void;
}) {
  const force = state?.in_force ?? false;
  const [what, setWhat] = useState<What>(force ? (state?.differs ? 'right' : 'end') : 'start');
  const plan = useOccasionPlan(tile.of ?? '', what, true);
  const use = useUse(board, tile.id);
  const all: What[] = force ? ['right', 'end', 'start'] : ['start'];
  return (
    <>
      {all.length > 1 && (
        <div className="segments" role="group" aria-label={words.boards.what}>
          {all.map((w) => (
            <button key={w} type="button" aria-pressed={what === w} onClick={() => setWhat(w)}>
              {words.boards.whats[w]}
            </button>
          ))}
        </div>
      )}
      <Failed of={[plan]} />
      {plan.data && <Plan plan={plan.data} />}
      {use.trouble && <Note alert>{use.trouble}</Note>}
      <div className="row" style={{ marginTop: '1rem' }}>
        <Button
          variant="contained"
          disabled={!plan.data || use.busy}
          onClick={() => {
            use.run(what);
            onDone();
          }}
        >
          {words.boards.whats[what]}
        </Button>
        <Button onClick={onDone}>{words.boards.close}</Button>
      </div>
    </>
  );
}

// Plan is what would be pressed, device by device.
export function Plan({ plan }: { plan: OccasionPlan }) {
  return (
    <>
      <p>
        {words.boards.plan(plan.presses, plan.takes_ms / 1000)}
        {plan.ends.length > 0 && ` ${words.boards.replaces(plan.ends.map(label).join(', '))}`}
      </p>
      <table style={{ borderCollapse: 'collapse', width: '100%' }}>
        <tbody>
          {plan.devices.map((d) => {
            const steps = d.answer.steps;
            const text = d.error
              ? d.error
              : !d.answer.sure
                ? (d.answer.helps?.[0]?.text ?? words.boards.unsure)
                : steps.length === 0
                  ? words.boards.already
                  : steps
                      .map((s) => `${label(s.key ?? words.boards.frame)}${s.times > 1 ? ` ${s.times}×` : ''}`)
                      .join(', ');
            return (
              <tr key={d.device} style={{ borderTop: '1px solid var(--line)', verticalAlign: 'top' }}>
                <th
                  scope="row"
                  style={{ textAlign: 'left', fontWeight: 600, padding: '0.4rem 0.8rem 0.4rem 0' }}
                >
                  {d.name}
                </th>
                <td style={{ padding: '0.4rem 0.8rem 0.4rem 0' }}>
                  {d.ends
                    ? words.boards.ends
                    : d.wants.map((w) => `${label(w.control)} ${w.value}`).join(', ')}
                </td>
                <td style={{ padding: '0.4rem 0', color: colour(d) }}>{text}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

// colour is that of what would be sent, of what is believed, or of what stays as it is.
function colour(d: OccasionPlan['devices'][number]): string {
  if (d.error || !d.answer.sure) return 'var(--belief)';
  return d.answer.steps.length ? 'var(--sent)' : 'var(--soft)';
}
