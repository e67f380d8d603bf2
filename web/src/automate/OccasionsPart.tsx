import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Occasion } from '../api/client';
import { useMay } from '../api/may';
import { useRooms } from '../api/queries';
import { words } from '../app/words';
import { Plan } from '../boards/OccasionPart';
import { useOccasionPlan, useOccasions } from '../boards/queries';
import { Line } from '../house/Line';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { NamedForm, NamedPart, StepsField } from './Named';
import { useDoOccasion, useRemoveOccasion, useSaveOccasion } from './queries';

// OccasionsPart is the wanted states of rooms and of the house: start, end and put them right, and write them.
export function OccasionsPart({ arrange }: { arrange: boolean }) {
  const occasions = useOccasions();
  return (
    <NamedPart
      title={words.automate.occasions}
      add={words.automate.addOccasion}
      none={words.automate.noOccasions}
      list={occasions}
      arrange={arrange}
      form={(onDone) => <OccasionForm onDone={onDone} />}
      line={(o) => <OccasionLine key={o.slug} occasion={o} arrange={arrange} />}
    />
  );
}

// about is what there is to know of an occasion, in a few words.
function about(o: Occasion): string[] {
  const out = [];
  if (o.in_force) out.push(words.automate.inForce(o.rooms));
  if (o.run) out.push(words.boards.sending);
  if (o.differs.length > 0)
    out.push(
      ...o.differs.map((d) =>
        words.automate.differs(label(d.device), label(d.control), d.wanted, d.value ?? '?'),
      ),
    );
  if (o.gone.length > 0) out.push(words.automate.gone(o.gone));
  if (o.lacking.length > 0) out.push(words.automate.lacking(o.lacking));
  return out;
}

function OccasionLine({ occasion: o, arrange }: { occasion: Occasion; arrange: boolean }) {
  const act = useDoOccasion();
  const may = useMay();
  const [open, setOpen] = useState(false);
  const plan = useOccasionPlan(o.slug, o.in_force && o.differs.length > 0 ? 'right' : 'start', open);
  const whats = o.in_force
    ? o.differs.length > 0
      ? (['right', 'end'] as const)
      : (['end'] as const)
    : (['start'] as const);
  return (
    <Box sx={{ '& + &': { borderTop: '1px dotted', borderColor: 'divider' } }}>
      <Line name={o.name} about={about(o)}>
        {may('use') &&
          whats.map((what) => (
            <Button
              key={what}
              size="small"
              variant="outlined"
              aria-label={`${words.boards.whats[what]} ${o.name}`}
              disabled={act.isPending || !!o.error}
              onClick={() => act.mutate({ occasion: o.slug, what })}
            >
              {words.boards.whats[what]}
            </Button>
          ))}
        <Button
          size="small"
          aria-label={words.automate.wantsName(o.name)}
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          {words.automate.wants}
        </Button>
      </Line>
      {o.error ? <Note alert>{o.error}</Note> : <Failed of={[act]} />}
      {open && (
        <div className="board">
          {plan.data && <Plan plan={plan.data} />}
          <Failed of={[plan]} />
          {arrange && o.wants !== '' && <OccasionForm occasion={o} onDone={() => setOpen(false)} />}
        </div>
      )}
    </Box>
  );
}

// OccasionForm writes what an occasion wants, of a new one where none is given.
function OccasionForm({ occasion, onDone }: { occasion?: Occasion; onDone: () => void }) {
  const [wants, setWants] = useState(occasion?.wants ?? '');
  const [stays, setStays] = useState(occasion?.stays.join(', ') ?? '');
  const [leaves, setLeaves] = useState(occasion?.leaves ?? false);
  const [room, setRoom] = useState(occasion?.room ?? '');
  const [reins, setReins] = useState<Record<string, string>>(occasion?.reins ?? {});
  const rooms = useRooms();
  const save = useSaveOccasion(occasion?.slug);
  const remove = useRemoveOccasion();
  return (
    <NamedForm
      was={occasion}
      ready={wants.trim() !== ''}
      save={save}
      remove={remove}
      onSave={(name) => {
        const list = stays.split(/[\s,]+/).filter(Boolean);
        const held = Object.fromEntries(Object.entries(reins).filter(([, of]) => of.trim() !== ''));
        save.mutate({ name, wants, stays: list, leaves, room, reins: held }, { onSuccess: onDone });
      }}
      onRemove={() => occasion && remove.mutate(occasion.slug)}
      onDone={onDone}
    >
      <StepsField
        label={words.automate.wants}
        how={words.automate.wantsHow}
        value={wants}
        onChange={setWants}
      />
      <TextField
        select
        label={words.automate.room}
        value={room}
        sx={{ maxWidth: 320 }}
        slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        onChange={(e) => setRoom(e.target.value)}
      >
        <MenuItem value="">{words.automate.wholeHouse}</MenuItem>
        {rooms.data?.map((r) => (
          <MenuItem key={r.id} value={r.name}>
            {r.name}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        label={words.automate.stays}
        value={stays}
        helperText={words.automate.staysHow}
        onChange={(e) => setStays(e.target.value)}
      />
      <Box component="fieldset" sx={{ border: 0, p: 0, m: 0 }}>
        <Box component="legend" sx={{ color: 'text.secondary', p: 0 }}>
          {words.automate.reins}
        </Box>
        <Box sx={{ display: 'grid', gap: 1.5, gridTemplateColumns: { sm: '1fr 1fr' } }}>
          {Object.entries(words.automate.reinsOf).map(([rein, [name, how]]) => (
            <TextField
              key={rein}
              label={name}
              placeholder={how}
              value={reins[rein] ?? ''}
              onChange={(e) => setReins({ ...reins, [rein]: e.target.value.trim() })}
            />
          ))}
        </Box>
      </Box>
      <FormControlLabel
        label={words.automate.leaves}
        control={<Checkbox checked={leaves} onChange={(_, on) => setLeaves(on)} />}
      />
    </NamedForm>
  );
}
