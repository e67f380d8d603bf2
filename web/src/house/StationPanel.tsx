import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState, type SubmitEvent } from 'react';
import type { Station } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { clock, hertz } from '../shared/text';
import { NameAndRoom } from './StationFields';
import { duration, presence, useChangeStation, useRemoveStation } from './stations';

// StationPanel is one station with its ports.
export function StationPanel({ station: s }: { station: Station }) {
  const [changing, setChanging] = useState(false);
  const about = [
    s.room,
    words.stations.over[s.over],
    s.address === s.name ? '' : s.address,
    s.model,
    s.firmware,
  ];
  return (
    <Panel
      title={s.name}
      aside={
        <Box component="span" sx={{ color: s.here ? 'received' : 'secondary.main', fontWeight: 600 }}>
          {presence({ here: s.here, since: s.since })}
        </Box>
      }
    >
      <Box sx={{ display: 'flex', gap: 2, flexWrap: 'wrap', alignItems: 'center', mb: 1 }}>
        <Box component="span" sx={{ color: 'text.secondary', overflowWrap: 'anywhere' }}>
          {about.filter(Boolean).join(' · ')}
        </Box>
        {!changing && (
          <Button
            size="small"
            sx={{ ml: 'auto' }}
            aria-label={words.stations.changeName(s.name)}
            onClick={() => setChanging(true)}
          >
            {words.stations.change}
          </Button>
        )}
      </Box>
      {s.trouble && <Note alert>{s.trouble}</Note>}
      {changing && <Change station={s} onDone={() => setChanging(false)} />}
      {s.ports.map((p) => (
        <Port key={p.id} port={p} />
      ))}
    </Panel>
  );
}

function Change({ station: s, onDone }: { station: Station; onDone: () => void }) {
  const change = useChangeStation(s.name);
  const remove = useRemoveStation(s.name);
  const [form, setForm] = useState({ name: s.name, room: s.room ?? '' });
  const [sure, setSure] = useState(false);
  const submit = (e: SubmitEvent) => {
    e.preventDefault();
    change.mutate(form, { onSuccess: onDone });
  };
  return (
    <Box component="form" onSubmit={submit} sx={{ display: 'grid', gap: 2, maxWidth: 420, mb: 2 }}>
      <NameAndRoom form={form} onChange={setForm} />
      <Failed of={[change, remove]} />
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        <Button type="submit" variant="contained" disabled={change.isPending}>
          {words.devices.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
        <Button sx={{ ml: 'auto' }} onClick={() => (sure ? remove.mutate() : setSure(true))}>
          {sure ? words.stations.removeSure : words.stations.remove}
        </Button>
      </Box>
    </Box>
  );
}

type PortState = Station['ports'][number];

function Port({ port: p }: { port: PortState }) {
  const receives = p.direction === 'receiver';
  const range = p.from_hz === p.to_hz ? hertz(p.from_hz) : `${hertz(p.from_hz)} to ${hertz(p.to_hz)}`;
  const last = receives ? words.stations.lastHeard : words.stations.lastSent;
  const strength =
    p.heard_strength === undefined ? '' : `, ${words.stations.strength(Math.round(100 * p.heard_strength))}`;
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr 1fr', sm: '110px 90px 1fr 1.2fr' },
        columnGap: 2,
        py: 1,
        borderTop: '1px dotted',
        borderColor: 'divider',
      }}
    >
      <Box component="span" sx={{ fontWeight: 600 }}>
        {p.id}
      </Box>
      <Box component="span" sx={{ color: receives ? 'received' : undefined, fontWeight: 600 }}>
        {receives ? words.stations.receives : words.stations.sends}
      </Box>
      <span>
        {p.medium}, {range}
      </span>
      <Box component="span" sx={{ color: 'text.secondary' }}>
        {p.last ? `${last} ${clock(p.last)}${strength}` : words.stations.never}
        {!receives && <Airtime port={p} />}
        {p.correction && <Box>{words.stations.isCorrected}</Box>}
      </Box>
    </Box>
  );
}

// near is the share of a budget from which it is worth a look.
const near = 0.8;

// Airtime is how much of its hour a transmitter has used.
function Airtime({ port: p }: { port: PortState }) {
  const used = p.airtime_ms ?? 0;
  const budget = p.budget_ms ?? 0;
  if (!budget) return used ? <Box>{words.stations.airtime(duration(used))}</Box> : null;
  const share = Math.min(used / budget, 1);
  const says = words.stations.airtimeOf(duration(used), duration(budget));
  return (
    <Box sx={{ mt: 0.5, color: share >= near ? 'secondary.main' : undefined }}>
      <Box
        role="meter"
        aria-label={says}
        aria-valuenow={Math.round(100 * share)}
        aria-valuemin={0}
        aria-valuemax={100}
        sx={{ height: 4, bgcolor: 'divider', maxWidth: 220 }}
      >
        <Box
          sx={{
            height: 1,
            width: `${100 * share}%`,
            bgcolor: share >= near ? 'secondary.main' : 'text.secondary',
          }}
        />
      </Box>
      {says}
      {share >= 1 && `. ${words.stations.spent}`}
    </Box>
  );
}
