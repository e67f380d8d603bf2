import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import type { ReactNode } from 'react';
import { words } from '../app/words';
import { CondPart, freshCond } from './CondParts';
import { CueParts, freshCue } from './CueParts';
import { Add, Clock, Pick, Row, Span } from './fields';
import type { Names } from './names';
import { freshStep, StepParts } from './StepParts';
import type { Errand, Rules } from './tree';

const w = words.builder;
const minute = 60e9;

// Parts are the clauses of an errand, as menus and fields.
export function Parts({
  errand: e,
  names,
  onChange,
}: {
  errand: Errand;
  names: Names;
  onChange: (e: Errand) => void;
}) {
  const steps = e.do.length > 0 ? e.do : [freshStep('set', names)];
  const level = e.while !== undefined;
  const put = (next: Partial<Errand>) => onChange({ ...e, do: steps, ...next });
  return (
    <Box sx={{ display: 'grid', gap: 1 }}>
      <Row name={w.name}>
        <TextField
          label={w.name}
          value={e.name}
          sx={{ width: 220 }}
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 40 } }}
          onChange={(ev) => put({ name: ev.target.value.toLowerCase().replace(/[^a-z0-9-]+/g, '-') })}
        />
        <Pick
          label={w.kind}
          value={level ? 'while' : 'when'}
          width={230}
          options={[
            ['when', w.whenKind],
            ['while', w.whileKind],
          ]}
          onChange={(v) =>
            v === 'while'
              ? put({ while: e.only ?? freshCond('gauge', names), when: undefined, only: undefined })
              : put({
                  when: [freshCue('sun', names)],
                  only: undefined,
                  while: undefined,
                  back: undefined,
                  after: undefined,
                  rules:
                    e.rules?.unknown === 'end'
                      ? { ...e.rules, unknown: undefined, end_after: undefined }
                      : e.rules,
                })
          }
        />
      </Row>
      {e.while ? (
        <Clause title={w.clauses.while}>
          <CondPart cond={e.while} names={names} level onChange={(c) => put({ while: c })} />
        </Clause>
      ) : (
        <>
          <Clause title={w.clauses.when}>
            <CueParts cues={e.when ?? []} names={names} onChange={(when) => put({ when })} />
          </Clause>
          <Clause title={w.clauses.only}>
            {e.only ? (
              <CondPart
                cond={e.only}
                names={names}
                onChange={(only) => put({ only })}
                onRemove={() => put({ only: undefined })}
              />
            ) : (
              <Add onClick={() => put({ only: freshCond('sun', names) })}>{w.addOnly}</Add>
            )}
          </Clause>
        </>
      )}
      <Clause title={w.clauses.do}>
        <StepParts steps={steps} names={names} onChange={(d) => put({ do: d })} />
      </Clause>
      {level && (
        <Clause title={w.clauses.afterwards}>
          <Row name={w.afterwards}>
            <Pick
              label={w.afterwards}
              value={e.back ? 'back' : e.after?.length ? 'steps' : 'nothing'}
              width={250}
              options={[
                ['nothing', w.nothingAfter],
                ['back', w.backAfter],
                ['steps', w.stepsAfter],
              ]}
              onChange={(v) =>
                put({
                  back: v === 'back' || undefined,
                  after: v === 'steps' ? [freshStep('set', names)] : undefined,
                })
              }
            />
          </Row>
          {e.after?.length ? (
            <StepParts steps={e.after} names={names} onChange={(after) => put({ after })} />
          ) : null}
        </Clause>
      )}
      <Clause title={w.clauses.rules}>
        <RuleParts rules={e.rules ?? {}} level={level} onChange={(rules) => put({ rules })} />
      </Clause>
    </Box>
  );
}

function Clause({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box
      component="fieldset"
      sx={{ border: 0, borderTop: '1px dotted', borderColor: 'divider', m: 0, p: 0, pt: 1, minWidth: 0 }}
    >
      <Box component="legend" sx={{ float: 'left', fontWeight: 600, width: '100%', p: 0 }}>
        {title}
      </Box>
      <Box sx={{ clear: 'both' }}>{children}</Box>
    </Box>
  );
}

type RuleName = keyof typeof w.rules;
const ruleOptions: Record<RuleName, (keyof typeof w.ruleValues)[]> = {
  missed: ['run', 'skip'],
  unknown: ['run', 'skip', 'end'],
  doubtful: ['ask', 'press', 'skip'],
  busy: ['stretch', 'start over', 'follow', 'drop'],
};

// RuleParts say what happens where something is in the way.
function RuleParts({
  rules: r,
  level,
  onChange,
}: {
  rules: Rules;
  level: boolean;
  onChange: (r: Rules) => void;
}) {
  return (
    <Row name={w.clauses.rules}>
      {(Object.keys(ruleOptions) as RuleName[]).map((name) => (
        <Pick
          key={name}
          label={w.rules[name]}
          value={r[name] ?? ''}
          width={180}
          options={[
            ['', w.usual],
            ...ruleOptions[name]
              .filter((v) => v !== 'end' || level)
              .map((v): [string, string] => [v, w.ruleValues[v]]),
          ]}
          onChange={(v) => {
            const next: Rules = { ...r, [name]: v || undefined };
            if (name === 'missed') next.run_within = v === 'run' ? 120 * minute : undefined;
            if (name === 'unknown') next.end_after = v === 'end' ? 30 * minute : undefined;
            if (name === 'doubtful') next.ask_for = next.ask_until = undefined;
            onChange(next);
          }}
        />
      ))}
      {r.missed === 'run' && (
        <Span
          label={w.within}
          value={r.run_within ?? 0}
          onChange={(run_within) => onChange({ ...r, run_within })}
        />
      )}
      {r.unknown === 'end' && (
        <Span
          label={w.after}
          value={r.end_after ?? 0}
          onChange={(end_after) => onChange({ ...r, end_after })}
        />
      )}
      {r.doubtful === 'ask' && (
        <>
          <Pick
            label={w.hold}
            value={r.ask_for ? 'for' : r.ask_until !== undefined ? 'until' : ''}
            width={130}
            options={[
              ['', w.usual],
              ['for', w.forTime],
              ['until', w.untilTime],
            ]}
            onChange={(v) =>
              onChange({
                ...r,
                ask_for: v === 'for' ? 30 * minute : undefined,
                ask_until: v === 'until' ? 22 * 60 + 30 : undefined,
              })
            }
          />
          {r.ask_for ? (
            <Span label={w.howLong} value={r.ask_for} onChange={(ask_for) => onChange({ ...r, ask_for })} />
          ) : null}
          {r.ask_until !== undefined && (
            <Clock
              label={w.until}
              value={r.ask_until}
              onChange={(ask_until) => onChange({ ...r, ask_until })}
            />
          )}
        </>
      )}
    </Row>
  );
}
