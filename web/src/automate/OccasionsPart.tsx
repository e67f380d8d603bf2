import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Occasion } from '../api/client';
import { useMay } from '../api/may';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Plan } from '../boards/OccasionPart';
import { useOccasionPlan, useOccasions } from '../boards/queries';
import { Line } from '../house/Line';
import { Note, Panel } from '../shared/Panel';
import { label } from '../shared/text';
import { useDoOccasion, useRemoveOccasion, useSaveOccasion } from './queries';

// OccasionsPart is the wanted states of rooms and of the house: start, end and put them right, and write them.
export function OccasionsPart({ arrange }: { arrange: boolean }) {
  const occasions = useOccasions();
  const [adding, setAdding] = useState(false);
  return (
    <Panel
      title={words.automate.occasions}
      aside={
        arrange &&
        !adding && (
          <Button size="small" onClick={() => setAdding(true)}>
            {words.automate.addOccasion}
          </Button>
        )
      }
    >
      {occasions.error && <Note alert>{occasions.error.message}</Note>}
      {adding && <OccasionForm onDone={() => setAdding(false)} />}
      {occasions.data?.length === 0 && !adding && <Note>{words.automate.noOccasions}</Note>}
      {occasions.data?.map((o) => (
        <OccasionLine key={o.slug} occasion={o} arrange={arrange} />
      ))}
    </Panel>
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
  const trouble = o.error ?? act.error?.message;
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
      {trouble && <Note alert>{trouble}</Note>}
      {open && (
        <div className="board">
          {plan.data && <Plan plan={plan.data} />}
          {plan.error && <Note alert>{plan.error.message}</Note>}
          {arrange && o.wants !== '' && <OccasionForm occasion={o} onDone={() => setOpen(false)} />}
        </div>
      )}
    </Box>
  );
}

// OccasionForm writes what an occasion wants, of a new one where none is given.
function OccasionForm({ occasion, onDone }: { occasion?: Occasion; onDone: () => void }) {
  const [name, setName] = useState(occasion?.name ?? '');
  const [wants, setWants] = useState(occasion?.wants ?? '');
  const [stays, setStays] = useState(occasion?.stays.join(', ') ?? '');
  const [leaves, setLeaves] = useState(occasion?.leaves ?? false);
  const save = useSaveOccasion(occasion?.slug);
  const remove = useRemoveOccasion();
  const [sure, setSure] = useState(false);
  const trouble = save.error ?? remove.error;
  return (
    <Box
      component="form"
      sx={{ display: 'grid', gap: 1.5, py: 1.5, maxWidth: 720 }}
      onSubmit={(e) => {
        e.preventDefault();
        const list = stays.split(/[\s,]+/).filter(Boolean);
        save.mutate({ name, wants, stays: list, leaves }, { onSuccess: onDone });
      }}
    >
      <TextField
        label={words.automate.name}
        value={name}
        autoFocus={!occasion}
        sx={{ maxWidth: 320 }}
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => setName(e.target.value)}
      />
      <TextField
        label={words.automate.wants}
        value={wants}
        multiline
        minRows={3}
        helperText={words.automate.wantsHow}
        slotProps={{
          htmlInput: { maxLength: 32_768, spellCheck: false, style: { fontFamily: mono, fontSize: 14 } },
        }}
        onChange={(e) => setWants(e.target.value)}
      />
      <TextField
        label={words.automate.stays}
        value={stays}
        helperText={words.automate.staysHow}
        onChange={(e) => setStays(e.target.value)}
      />
      <FormControlLabel
        label={words.automate.leaves}
        control={<Checkbox checked={leaves} onChange={(_, on) => setLeaves(on)} />}
      />
      {trouble && <Note alert>{trouble.message}</Note>}
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        <Button type="submit" variant="contained" disabled={!name.trim() || !wants.trim() || save.isPending}>
          {words.automate.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
        {occasion && (
          <Button
            sx={{ ml: 'auto', color: 'secondary.main' }}
            disabled={remove.isPending}
            onClick={() => (sure ? remove.mutate(occasion.slug) : setSure(true))}
          >
            {sure ? words.automate.removeSure(occasion.name) : words.automate.remove}
          </Button>
        )}
      </Box>
    </Box>
  );
}
