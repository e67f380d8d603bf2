import Box from '@mui/material/Box';
import { useMutation } from '@tanstack/react-query';
import qrcode from 'qrcode-generator';
import { useEffect, useRef } from 'react';
import { client, unwrap } from '../api/client';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { clock } from '../shared/text';
import { linkTo, ticketOf } from '../signin/link';

// modules draws the dark squares of a QR code as one path, each a unit wide.
function modules(text: string): { path: string; size: number } {
  const code = qrcode(0, 'M'); // the smallest that holds it
  code.addData(text);
  code.make();
  const size = code.getModuleCount();
  let path = '';
  for (let y = 0; y < size; y++) {
    for (let x = 0; x < size; x++) {
      if (code.isDark(y, x)) path += `M${x} ${y}h1v1h-1z`;
    }
  }
  return { path, size };
}

// QrPart shows an address for the camera of the phone in hand.
export default function QrPart({ address }: { address: string }) {
  return (
    <Panel title={words.device.phone}>
      <QrCode address={address} />
      {isLocal(new URL(address).hostname) && <Note>{words.device.local}</Note>}
    </Panel>
  );
}

// PhonePart signs the phone in hand in, and leads it to a page. The code is a link that works once.
export function PhonePart({ page }: { page: string }) {
  const asked = useRef(false);
  const { mutate, data, error } = useMutation({
    mutationFn: () => unwrap(client.POST('/api/tickets')),
  });
  useEffect(() => {
    if (!asked.current) mutate();
    asked.current = true;
  }, [mutate]);
  return (
    <Panel title={words.device.phone}>
      {error && <Note alert>{error.message}</Note>}
      {data && (
        <>
          <QrCode address={linkTo(`${location.origin}/sign-in#${ticketOf(data.link)}`, page)} />
          <Note>{words.device.phoneHow(data.person, clock(data.expires))}</Note>
        </>
      )}
      {isLocal(location.hostname) && <Note>{words.device.local}</Note>}
    </Panel>
  );
}

const isLocal = (host: string) => ['localhost', '127.0.0.1', '[::1]'].includes(host);

// QrCode is an address as a QR code, with the address in words below it.
export function QrCode({ address, width = 220 }: { address: string; width?: number }) {
  const { path, size } = modules(address);
  return (
    <>
      <Box
        component="svg"
        role="img"
        aria-label={words.device.qr(address)}
        viewBox={`-4 -4 ${size + 8} ${size + 8}`}
        sx={{ width, maxWidth: '100%', bgcolor: '#fff', display: 'block' }}
      >
        <path d={path} fill="#000" />
      </Box>
      <Box sx={{ fontSize: 14, mt: 1, overflowWrap: 'anywhere' }}>{address}</Box>
    </>
  );
}
