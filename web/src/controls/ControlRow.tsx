import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Control, ControlState, Device, SetAnswer } from '../api/client';
import { usePress } from '../devices/queries';
import { useMay } from '../api/may';
import { words } from '../app/words';
import { label } from '../shared/text';
import { Note } from '../shared/Panel';
import { Belief } from './Belief';
import { Really } from './Really';
import { Setter } from './Setter';
import { useSetControls, useTell } from './queries';
import { comfortOf } from './state';

// ControlRow is one control: what is believed of it, and what sets it.
export function ControlRow({
  device,
  control,
  state,
  forS,
}: {
  device: Device;
  control: Control;
  state: ControlState;
  forS: number; // how long it is set for, in s; 0 is for good
}) {
  const set = useSetControls(device.slug, forS);
  const [telling, setTelling] = useState(false);
  const may = useMay();
  const wish = (value: string) => set.mutate([{ control: control.name, value }]);
  return (
    <Box
      component="section"
      aria-label={label(control.name)}
      sx={{
        py: 1,
        borderBottom: '1px dotted',
        borderColor: 'divider',
        display: 'grid',
        gridTemplateColumns: { xs: 'minmax(0, 1fr)', sm: '250px minmax(0, 1fr)' },
        columnGap: 3,
        rowGap: 1,
        '&:last-of-type': { borderBottom: 0 },
      }}
      onContextMenu={(e) => {
        if (!may('tell')) return;
        e.preventDefault();
        setTelling(true);
      }}
    >
      <Belief
        name={control.name}
        state={state}
        bare={comfortOf((device.controls ?? []) as Control[])?.name === control.name}
        aside={
          may('tell') && (
            <Button
              size="small"
              sx={{ color: 'text.secondary', px: 0.5 }}
              aria-label={words.controls.reallyOf(label(control.name))}
              aria-expanded={telling}
              onClick={() => setTelling(!telling)}
            >
              {words.controls.really}
            </Button>
          )
        }
      />
      <Box sx={{ display: 'grid', gap: 1, alignContent: 'start', pt: { sm: 1 } }}>
        <Setter control={control} state={state} busy={set.isPending} onWish={wish} />
        {set.isPending && <Box sx={{ color: 'text.secondary' }}>{words.controls.setting}</Box>}
        {set.error && <Note alert>{set.error.message}</Note>}
        {!set.isPending && set.data && (
          <Came
            device={device}
            answer={set.data}
            onTell={() => setTelling(true)}
            onTold={() => set.variables && set.mutate(set.variables)}
          />
        )}
        {telling && <Really device={device} control={control} onDone={() => setTelling(false)} />}
      </Box>
    </Box>
  );
}

// Came is what came of a wish, and what would help where it could not be sure.
function Came({
  device,
  answer,
  onTell,
  onTold,
}: {
  device: Device;
  answer: SetAnswer;
  onTell: () => void;
  onTold: () => void;
}) {
  const press = usePress();
  if (answer.reason) return <Note alert>{words.controls.givenUp(answer.reason)}</Note>;
  const asks = answer.presses?.length ? [] : (answer.asks ?? []);
  if (answer.doubtful) return <Note>{words.controls.endsDoubtful}</Note>;
  const helps = (answer.helps ?? []).filter((h) => !asks.length || h.kind === 'press');
  if (!helps.length && !asks.length) return null;
  return (
    <Box role="status" sx={{ border: '1px dashed', borderColor: 'belief', p: 1.5 }}>
      {asks.length > 0 && <Asks device={device} asks={asks} onTold={onTold} />}
      {!answer.sure && !asks.length && <Box sx={{ mb: 1 }}>{words.controls.notSure}</Box>}
      {helps.map((h) => (
        <Box key={h.kind} sx={{ display: 'flex', flexWrap: 'wrap', alignItems: 'center', gap: 1 }}>
          <Box sx={{ flex: '1 1 20ch' }}>{h.text}</Box>
          {h.kind === 'press' && h.key && (
            <Button
              size="small"
              variant="outlined"
              disabled={press.isPending || press.isSuccess}
              onClick={() => press.mutate({ device: device.slug, key: h.key ?? '' })}
            >
              {words.controls.pressOnce(label(h.key))}
            </Button>
          )}
          {h.kind === 'tell' && (
            <Button size="small" variant="outlined" onClick={onTell}>
              {words.controls.say}
            </Button>
          )}
        </Box>
      ))}
    </Box>
  );
}

// Asks asks what something is at now, before a key is pressed that would lead on from there.
function Asks({
  device,
  asks,
  onTold,
}: {
  device: Device;
  asks: NonNullable<SetAnswer['asks']>;
  onTold: () => void;
}) {
  const tell = useTell(device.slug);
  const may = useMay();
  const ask = asks[0];
  if (!ask) return null;
  return (
    <Box sx={{ mb: 1 }}>
      <Box sx={{ mb: 1 }}>{words.controls.askNow(label(ask.control))}</Box>
      {may('tell') && (
        <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
          {ask.values?.map((value) => (
            <Button
              key={value}
              size="small"
              variant="outlined"
              disabled={tell.isPending}
              onClick={() => tell.mutate({ control: ask.control, value }, { onSuccess: onTold })}
            >
              {label(value)}
            </Button>
          ))}
        </Box>
      )}
      {tell.error && <Note alert>{tell.error.message}</Note>}
    </Box>
  );
}
