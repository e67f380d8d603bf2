import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Device } from '../api/client';
import { useUndo, useUnfollow } from './queries';
import { mono } from '../app/theme';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Failed } from '../shared/Failed';
import { label, sends } from '../shared/text';
import { KeyChange } from './KeyChange';

const small = { minHeight: 32, minWidth: 0, py: 0 };

// Codes lists what each key of a device sends; a key can be changed, and its last change undone.
export function Codes({ device }: { device: Device }) {
  const undo = useUndo(device.slug);
  const unfollow = useUnfollow(device.slug);
  const [changing, setChanging] = useState('');
  return (
    <Panel title={words.device.codes}>
      <Box
        component="dl"
        sx={{
          m: 0,
          display: 'grid',
          gridTemplateColumns: 'minmax(84px, auto) minmax(0, 1fr) auto',
          columnGap: { xs: 1.5, sm: 3 },
          rowGap: 0.25,
          alignItems: 'baseline',
        }}
      >
        {device.keys.map((k) => (
          <Box key={k.name} sx={{ display: 'contents' }}>
            <Box component="dt">{label(k.name)}</Box>
            <Box
              component="dd"
              sx={{
                m: 0,
                fontFamily: k.codes.length ? mono : undefined,
                fontSize: 14,
                color: k.codes.length ? 'text.primary' : 'text.secondary',
                overflowWrap: 'anywhere',
              }}
            >
              {k.codes.length > 0 && k.codes.map(sends).join(words.device.then)}
              {k.transmitter && (
                <Box sx={{ color: 'text.secondary', fontFamily: 'fontFamily' }}>
                  {words.device.through(k.transmitter)}
                </Box>
              )}
              {k.codes.length === 0 && !k.heard?.length && words.device.notLearned}
              {k.heard?.length ? (
                <Box sx={{ color: 'text.secondary', fontFamily: 'fontFamily' }}>
                  {words.device.followedAs(k.heard.map(sends).join(', '))}{' '}
                  <Button
                    size="small"
                    sx={{ ...small, px: 0.5 }}
                    aria-label={words.device.unfollowOf(label(k.name))}
                    onClick={() => unfollow.mutate(k.name)}
                  >
                    {words.device.unfollow}
                  </Button>
                </Box>
              ) : null}
            </Box>
            <Box component="dd" sx={{ m: 0, textAlign: 'right', whiteSpace: 'nowrap' }}>
              {k.version > 1 && (
                <Button
                  size="small"
                  sx={small}
                  aria-label={words.device.undo(label(k.name))}
                  onClick={() => undo.mutate(k.name)}
                >
                  {words.device.undoShort}
                </Button>
              )}
              <Button
                size="small"
                sx={small}
                aria-label={words.device.changeKey(label(k.name))}
                onClick={() => setChanging(changing === k.name ? '' : k.name)}
              >
                {words.device.changeShort}
              </Button>
            </Box>
            {changing === k.name && (
              <Box component="dd" sx={{ gridColumn: '1 / -1', m: 0 }}>
                <KeyChange device={device.slug} of={k} onDone={() => setChanging('')} />
              </Box>
            )}
          </Box>
        ))}
      </Box>
      <Failed of={[undo, unfollow]} />
    </Panel>
  );
}
