import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Control, Device } from '../api/client';
import { words } from '../app/words';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { FramesForm } from './FramesForm';
import { Named } from './Named';
import { LinksForm } from './LinksForm';
import { Questions, answered } from './Questions';
import { choices, fieldsOf, read, written, type Field } from './form';
import { useAnswer, usePutControl, useQuestions, useRemoveControl } from './queries';

const kinds: Control['kind'][] = ['power', 'dial', 'selector', 'digits', 'travel'];

// EditControls is where controls are made and changed by hand, each by itself.
export function EditControls({ device, onDone }: { device: Device; onDone: () => void }) {
  const controls = (device.controls ?? []) as Control[];
  const remove = useRemoveControl(device.slug);
  const [open, setOpen] = useState(controls.length ? '' : 'new');
  const [remarks, setRemarks] = useState<string[]>([]);
  const done = (changed?: Device) => {
    setOpen('');
    setRemarks(changed?.remarks ?? []);
  };
  return (
    <Box sx={{ display: 'grid', gap: 1, maxWidth: 760 }}>
      {controls.map((c) => (
        <Box key={c.name} sx={{ borderBottom: '1px dotted', borderColor: 'divider', py: 0.5 }}>
          <Box sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', gap: 1 }}>
            <Named control={c} />
            <Button
              size="small"
              aria-expanded={open === c.name}
              aria-label={words.controls.changeOf(label(c.name))}
              onClick={() => setOpen(open === c.name ? '' : c.name)}
            >
              {words.controls.change}
            </Button>
            <Button
              size="small"
              aria-expanded={open === `ask ${c.name}`}
              aria-label={words.controls.askAboutOf(label(c.name))}
              onClick={() => setOpen(open === `ask ${c.name}` ? '' : `ask ${c.name}`)}
            >
              {words.controls.askAbout}
            </Button>
            <Sure
              name={words.controls.removeOf(label(c.name))}
              text={words.controls.remove}
              onSure={() => remove.mutate(c.name)}
            />
          </Box>
          {open === c.name && <ControlForm device={device} of={c} name={c.name} onDone={done} />}
          {open === `ask ${c.name}` && <AskControl device={device} control={c} onDone={done} />}
        </Box>
      ))}
      <Failed of={[remove]} />
      {remarks.map((r) => (
        <Note key={r}>{r}</Note>
      ))}
      {open === 'new' && <NewControl device={device} onDone={done} />}
      {open === 'others' && <LinksForm device={device} onDone={() => setOpen('')} />}
      {open === 'frames' && <FramesForm device={device} onDone={() => setOpen('')} />}
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
        <Button variant="outlined" onClick={() => setOpen('new')}>
          {words.controls.add}
        </Button>
        <Button variant="outlined" onClick={() => setOpen('frames')}>
          {words.controls.frames}
        </Button>
        {controls.length > 0 && (
          <Button variant="outlined" onClick={() => setOpen('others')}>
            {words.controls.others}
          </Button>
        )}
        <Button onClick={onDone}>{words.controls.done}</Button>
      </Box>
    </Box>
  );
}

// Sure is a button that asks once.
function Sure({ name, text, onSure }: { name: string; text: string; onSure: () => void }) {
  const [sure, setSure] = useState(false);
  return (
    <Button
      size="small"
      aria-label={sure ? words.controls.sureOf(name) : name}
      onClick={() => (sure ? onSure() : setSure(true))}
    >
      {sure ? words.controls.sure : text}
    </Button>
  );
}

// AskControl asks all that can be said of a control, with what stands.
function AskControl({
  device,
  control,
  onDone,
}: {
  device: Device;
  control: Control;
  onDone: (changed?: Device) => void;
}) {
  const asked = useQuestions(device.slug, control.name);
  const keep = useAnswer(device.slug);
  const [answers, setAnswers] = useState<Record<string, string>>({});
  const questions = asked.data?.questions ?? [];
  const given = answered(questions, answers);
  return (
    <Box
      component="form"
      sx={{ py: 1.5, display: 'grid', gap: 1 }}
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate({ answers: given }, { onSuccess: (d) => onDone(d) });
      }}
    >
      <Questions device={device.slug} questions={questions} answers={answers} onChange={setAnswers} />
      <Failed of={[asked, keep]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button type="submit" variant="contained" disabled={keep.isPending || given.length === 0}>
          {words.controls.keepIt}
        </Button>
        <Button onClick={() => onDone()}>{words.devices.cancel}</Button>
      </Box>
    </Box>
  );
}

function NewControl({ device, onDone }: { device: Device; onDone: (changed?: Device) => void }) {
  const [kind, setKind] = useState<Control['kind'] | ''>('');
  return (
    <Box>
      <TextField
        select
        label={words.controls.kind}
        value={kind}
        sx={{ minWidth: 260 }}
        slotProps={{ inputLabel: { shrink: true } }}
        onChange={(e) => setKind(e.target.value as Control['kind'])}
      >
        {kinds.map((k) => (
          <MenuItem key={k} value={k}>
            {words.controls.kinds[k]}
          </MenuItem>
        ))}
      </TextField>
      {kind && (
        <ControlForm
          key={kind}
          device={device}
          of={{ name: kind === 'power' ? 'power' : '', kind }}
          name=""
          onDone={onDone}
        />
      )}
    </Box>
  );
}

// ControlForm is the form of one control. What is empty is as usual.
function ControlForm({
  device,
  of,
  name,
  onDone,
}: {
  device: Device;
  of: Control;
  name: string; // that it has; '' for a new one
  onDone: (changed?: Device) => void;
}) {
  const put = usePutControl(device.slug);
  const [called, setCalled] = useState(of.name);
  const [texts, setTexts] = useState<Record<string, string>>(() =>
    Object.fromEntries(fieldsOf[of.kind].map((f) => [f.name, written(of, f)])),
  );
  const [more, setMore] = useState(false);
  const wrong = (f: Field) => read(of, f, texts[f.name] ?? '') === undefined;
  const submit = () => {
    let form: Control = { ...of, name: called.trim() };
    for (const f of fieldsOf[of.kind]) form = read(form, f, texts[f.name] ?? '') ?? form;
    // Whoever keeps a form has said all of it: nothing is a guess any more.
    put.mutate(
      { name: name || form.name, form: { ...form, guessed: undefined } },
      { onSuccess: (d) => onDone(d) },
    );
  };
  const shown = fieldsOf[of.kind].filter((f) => more || !f.more || !!texts[f.name]);
  return (
    <Box
      component="form"
      sx={{ py: 1.5, display: 'grid', gap: 2 }}
      onSubmit={(e) => {
        e.preventDefault();
        submit();
      }}
    >
      <Box
        sx={{
          display: 'grid',
          gap: 2,
          alignItems: 'start',
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', sm: 'repeat(2, minmax(0, 1fr))' },
        }}
      >
        <TextField
          label={words.controls.name}
          value={called}
          required
          helperText={words.controls.nameHow}
          slotProps={{ htmlInput: { maxLength: 40, spellCheck: false } }}
          onChange={(e) => setCalled(e.target.value)}
        />
        {shown.map((f) => (
          <Member
            key={f.name}
            field={f}
            kind={of.kind}
            keys={device.keys.map((k) => k.name)}
            value={texts[f.name] ?? ''}
            wrong={wrong(f)}
            onChange={(text) => setTexts({ ...texts, [f.name]: text })}
          />
        ))}
      </Box>
      <Failed of={[put]} />
      <Box sx={{ display: 'flex', gap: 1 }}>
        <Button
          type="submit"
          variant="contained"
          disabled={put.isPending || !called.trim() || fieldsOf[of.kind].some(wrong)}
        >
          {words.controls.keepIt}
        </Button>
        <Button onClick={() => onDone()}>{words.devices.cancel}</Button>
        {shown.length < fieldsOf[of.kind].length && (
          <Button onClick={() => setMore(true)}>{words.controls.moreFields}</Button>
        )}
      </Box>
    </Box>
  );
}

// Member is one member of a form: a key is chosen, the rest is written.
function Member({
  field,
  kind,
  keys,
  value,
  wrong,
  onChange,
}: {
  field: Field;
  kind: Control['kind'];
  keys: string[];
  value: string;
  wrong: boolean;
  onChange: (text: string) => void;
}) {
  const text = words.controls.members[`${kind} ${field.name}`] ?? words.controls.members[field.name];
  const values = field.way === 'key' ? keys : field.way === 'choice' ? (choices[field.name] ?? []) : null;
  if (values) {
    return (
      <TextField
        select
        label={text}
        value={value}
        slotProps={{ inputLabel: { shrink: true }, select: { displayEmpty: true } }}
        onChange={(e) => onChange(e.target.value)}
      >
        <MenuItem value="">–</MenuItem>
        {[...new Set([...values, ...(value ? [value] : [])])].map((c) => (
          <MenuItem key={c} value={c}>
            {words.controls.choices[`${field.name} ${c}`] ?? words.controls.choices[c] ?? label(c)}
          </MenuItem>
        ))}
      </TextField>
    );
  }
  return (
    <TextField
      label={text}
      value={value}
      error={wrong}
      helperText={words.controls.ways[field.way]}
      slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 2000, spellCheck: false } }}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}
