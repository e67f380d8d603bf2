import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import type { Device } from '../api/client';
import { useCauseLeft } from '../api/cause';
import { useHoldKey, usePress } from './queries';
import { words } from '../app/words';
import { KeyButton } from '../shared/KeyButton';
import { label } from '../shared/text';
import { Explain } from './Explain';
import { FaceGrid } from './FaceGrid';

type Told = { key: string; state: 'sending' | 'sent' | 'trouble'; text: string };

// HandsetFace is the device's keys as on its handset. A key that is not learned leads to its lesson.
export function HandsetFace({ device }: { device: Device }) {
  const press = usePress();
  const hold = useHoldKey();
  const navigate = useNavigate();
  const [told, setTold] = useState<Told | null>(null);
  const [pressed, setPressed] = useState(''); // the last key
  const [why, setWhy] = useState(false);
  const fade = useRef<number>(undefined);
  useEffect(() => () => window.clearTimeout(fade.current), []);
  useCauseLeft(() => setTold((now) => (now?.state === 'trouble' ? null : now)));

  const learned = new Set(device.keys.filter((k) => k.codes.length > 0).map((k) => k.name));
  const followed = new Set(device.keys.filter((k) => k.heard?.length).map((k) => k.name));
  const send = async (key: string, down?: () => boolean) => {
    window.clearTimeout(fade.current);
    const name = label(key);
    setPressed(key);
    setTold({ key, state: 'sending', text: words.device.sending(name) });
    try {
      const ref = { device: device.slug, key };
      const p = await (down ? hold.mutateAsync({ ...ref, down }) : press.mutateAsync(ref));
      const texts = {
        sent: [words.device.pressed(name), p.note].filter(Boolean).join('. '),
        failed: words.device.failed(name, p.reason ?? ''),
        unknown: words.device.unknown(name, p.reason ?? ''),
      };
      setTold({ key, state: p.outcome === 'sent' ? 'sent' : 'trouble', text: texts[p.outcome] });
      if (p.outcome === 'sent') fade.current = window.setTimeout(() => setTold(null), p.note ? 6000 : 2500);
    } catch (e) {
      setTold({ key, state: 'trouble', text: words.device.failed(name, (e as Error).message) });
    }
  };
  const holds = (key: string) => device.keys.find((k) => k.name === key)?.hold !== 'once';
  return (
    <Box sx={{ maxWidth: 340 }}>
      <FaceGrid keys={device.keys.map((k) => k.name)} arranged={device.face}>
        {(key) => (
          <KeyButton
            name={key}
            state={told?.key === key ? told.state : learned.has(key) ? 'plain' : 'missing'}
            hint={
              learned.has(key)
                ? undefined
                : followed.has(key)
                  ? words.device.followed
                  : words.device.notLearned
            }
            onPress={() =>
              learned.has(key) || followed.has(key) // whoever sends a followed one is told what to do
                ? void send(key)
                : void navigate(`/devices/${device.slug}/lesson?key=${key}`)
            }
            onHold={learned.has(key) && holds(key) ? (down) => send(key, down) : undefined}
          />
        )}
      </FaceGrid>
      <Box
        role="status"
        sx={{
          minHeight: 44,
          pt: 1.25,
          color: told ? 'secondary.main' : 'text.secondary',
          fontWeight: told ? 600 : 400,
        }}
      >
        {told?.text ?? (learned.size > 0 ? words.device.tap : '')}
      </Box>
      {pressed && !why && told?.state !== 'sending' && (
        <Button size="small" onClick={() => setWhy(true)}>
          {words.device.explain}
        </Button>
      )}
      {pressed && why && (
        <Explain key={pressed} device={device.slug} name={pressed} onDone={() => setWhy(false)} />
      )}
    </Box>
  );
}
