import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import type { Tried } from '../shared/failing';
import { Failed } from '../shared/Failed';

// NamedPart is a list of things that have a name and are written by people: a line each, and a form for a new one.
export function NamedPart<T>({
  title,
  add,
  none,
  list,
  arrange,
  form,
  line,
}: {
  title: string;
  add: string;
  none: string;
  list: { data?: T[]; error: Error | null };
  arrange: boolean; // whether new ones may be made
  form: (onDone: () => void) => ReactNode;
  line: (one: T) => ReactNode;
}) {
  const [adding, setAdding] = useState(false);
  return (
    <Panel
      title={title}
      aside={
        arrange &&
        !adding && (
          <Button size="small" onClick={() => setAdding(true)}>
            {add}
          </Button>
        )
      }
    >
      <Failed of={[list]} />
      {adding && form(() => setAdding(false))}
      {list.data?.length === 0 && !adding && <Note>{none}</Note>}
      {list.data?.map(line)}
    </Panel>
  );
}

// Saving is how a form is kept, and how what it is about is removed.
type Saving = Tried & { isPending: boolean };

// WrittenForm is a form of one of them: what it is made of, and how it is kept or removed.
export function WrittenForm({
  was,
  ready,
  save,
  remove,
  removeSure = words.automate.removeSure,
  onSave,
  onRemove,
  onDone,
  children,
}: {
  was?: { name: string }; // left out for a new one
  ready: boolean; // it is filled in
  save: Saving;
  remove: Saving;
  removeSure?: (name: string) => string;
  onSave: () => void;
  onRemove: () => void;
  onDone: () => void;
  children: ReactNode;
}) {
  const [sure, setSure] = useState(false);
  return (
    <Box
      component="form"
      sx={{ display: 'grid', gap: 1.5, py: 1.5, maxWidth: 720 }}
      onSubmit={(e) => {
        e.preventDefault();
        onSave();
      }}
    >
      {children}
      <Failed of={[save, remove]} />
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        <Button type="submit" variant="contained" disabled={!ready || save.isPending}>
          {words.automate.save}
        </Button>
        <Button onClick={onDone}>{words.devices.cancel}</Button>
        {was && (
          <Button
            sx={{ ml: 'auto' }}
            disabled={remove.isPending}
            onClick={() => (sure ? onRemove() : setSure(true))}
          >
            {sure ? removeSure(was.name) : words.automate.remove}
          </Button>
        )}
      </Box>
    </Box>
  );
}

// NamedForm is a form with the name of the thing above the rest.
export function NamedForm({
  onSave,
  ready,
  children,
  ...rest
}: Omit<Parameters<typeof WrittenForm>[0], 'onSave'> & { onSave: (name: string) => void }) {
  const [name, setName] = useState(rest.was?.name ?? '');
  return (
    <WrittenForm {...rest} ready={ready && name.trim() !== ''} onSave={() => onSave(name)}>
      <TextField
        label={words.automate.name}
        value={name}
        autoFocus={!rest.was}
        sx={{ maxWidth: 320 }}
        slotProps={{ htmlInput: { maxLength: 80 } }}
        onChange={(e) => setName(e.target.value)}
      />
      {children}
    </WrittenForm>
  );
}

// StepsField is where steps are written.
export function StepsField({
  label,
  how,
  value,
  onChange,
}: {
  label: string;
  how: string;
  value: string;
  onChange: (value: string) => void;
}) {
  return (
    <TextField
      label={label}
      value={value}
      multiline
      minRows={3}
      helperText={how}
      slotProps={{
        htmlInput: { maxLength: 32_768, spellCheck: false, style: { fontFamily: mono, fontSize: 14 } },
      }}
      onChange={(e) => onChange(e.target.value)}
    />
  );
}
