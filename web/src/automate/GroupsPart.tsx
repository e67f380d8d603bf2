import Autocomplete from '@mui/material/Autocomplete';
import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import type { Group, GroupControl } from '../api/client';
import { useMay } from '../api/may';
import { useDevices } from '../api/queries';
import { words } from '../app/words';
import { Line } from '../house/Line';
import { Note } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label } from '../shared/text';
import { NamedForm, NamedPart } from './Named';
import { useGroups, useGroupState, useRemoveGroup, useSaveGroup, useSetGroup } from './queries';

// GroupsPart is the named lists of devices that are set together.
export function GroupsPart({ arrange }: { arrange: boolean }) {
  const groups = useGroups();
  return (
    <NamedPart
      title={words.automate.groups}
      add={words.automate.addGroup}
      none={words.automate.noGroups}
      list={groups}
      arrange={arrange}
      form={(onDone) => <GroupForm onDone={onDone} />}
      line={(g) => <GroupLine key={g.slug} group={g} arrange={arrange} />}
    />
  );
}

function GroupLine({ group, arrange }: { group: Group; arrange: boolean }) {
  const [editing, setEditing] = useState(false);
  const state = useGroupState(group.slug);
  const set = useSetGroup(group.slug);
  const may = useMay();
  const wrong = set.data?.devices?.filter((d) => d.error || !d.answer.done) ?? [];
  return (
    <Box sx={{ py: 0.5, '& + &': { borderTop: '1px dotted', borderColor: 'divider' } }}>
      <Line name={group.name} about={[(group.members ?? []).join(', ')]}>
        {arrange && (
          <Button
            size="small"
            aria-label={words.automate.changeName(group.name)}
            aria-expanded={editing}
            onClick={() => setEditing(!editing)}
          >
            {words.automate.change}
          </Button>
        )}
      </Line>
      {editing && <GroupForm group={group} onDone={() => setEditing(false)} />}
      {state.error && <Note>{state.error.message}</Note>}
      {state.data
        ?.filter((c) => (c.choices?.length ?? 0) > 0)
        .map((c) => (
          <Choices
            key={c.control}
            name={group.name}
            control={c}
            busy={set.isPending}
            onSet={may('use') ? (value) => set.mutate([{ control: c.control, value }]) : undefined}
          />
        ))}
      <Failed of={[set]} />
      {!set.isPending &&
        wrong.map((d) => (
          <Note key={d.device} alert>
            {words.automate.notThere(d.device, d.error ?? d.answer.reason)}
          </Note>
        ))}
    </Box>
  );
}

// Choices is a control of a group: what its devices are at, and its values. Mixed or unknown, none of them is pressed.
function Choices({
  name,
  control,
  busy,
  onSet,
}: {
  name: string;
  control: GroupControl;
  busy: boolean;
  onSet?: (value: string) => void;
}) {
  return (
    <Box
      role="group"
      aria-label={`${name} ${label(control.control).toLowerCase()}`}
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: 'minmax(0, 1fr)', sm: '220px minmax(0, 1fr)' },
        alignItems: 'center',
        columnGap: 2,
        pb: 1,
      }}
    >
      <Box>
        {label(control.control)}{' '}
        <Box component="span" sx={{ color: 'text.secondary' }}>
          {words.automate.together(control.value, control.word)}
        </Box>
      </Box>
      <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
        {onSet &&
          control.choices?.map((v) => (
            <Button
              key={v}
              size="small"
              variant="outlined"
              aria-label={`${name} ${control.control}: ${v}`}
              aria-pressed={v === control.value}
              disabled={busy}
              sx={{ boxShadow: v === control.value ? 'inset 0 -3px 0 currentColor' : undefined }}
              onClick={() => onSet(v)}
            >
              {label(v)}
            </Button>
          ))}
      </Box>
    </Box>
  );
}

// GroupForm says what is in a group, in a new one where none is given.
function GroupForm({ group, onDone }: { group?: Group; onDone: () => void }) {
  const devices = useDevices();
  const groups = useGroups();
  const [members, setMembers] = useState<string[]>(group?.members ?? []);
  const save = useSaveGroup(group?.slug);
  const remove = useRemoveGroup();
  const names = [
    ...(devices.data ?? []).map((d) => d.slug),
    ...(groups.data ?? []).map((g) => g.slug).filter((g) => g !== group?.slug),
  ];
  return (
    <NamedForm
      was={group}
      ready
      save={save}
      remove={remove}
      removeSure={words.automate.removeGroupSure}
      onSave={(name) => save.mutate({ name, members }, { onSuccess: onDone })}
      onRemove={() => group && remove.mutate(group.slug)}
      onDone={onDone}
    >
      <Autocomplete
        multiple
        options={names}
        value={members}
        onChange={(_, value) => setMembers(value)}
        renderInput={(params) => <TextField {...params} label={words.automate.members} />}
      />
    </NamedForm>
  );
}
