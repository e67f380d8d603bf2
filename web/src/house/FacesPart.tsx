import Box from '@mui/material/Box';
import { words } from '../app/words';
import { Panel } from '../shared/Panel';
import { Command } from './Command';
import { HooksPart } from './HooksPart';
import { MqttPart } from './MqttPart';

// FacesPart is the ways in from the network: which are on, where, who came last, and how to connect.
export default function FacesPart() {
  const at = window.location.origin;
  return (
    <>
      <Panel title={words.faces.http}>
        <Box
          component="dl"
          sx={{ display: 'grid', gridTemplateColumns: 'auto 1fr', columnGap: 4, rowGap: 1, m: 0 }}
        >
          <Box component="dt" sx={{ color: 'text.secondary' }}>
            {words.faces.address}
          </Box>
          <Box component="dd" sx={{ m: 0, overflowWrap: 'anywhere' }}>
            {at}
          </Box>
        </Box>
        <p>{words.faces.token}</p>
        <Command
          title={words.faces.try}
          text={`curl -H "Authorization: Bearer ${words.faces.tokenWord}" ${at}/api/devices`}
        />
      </Panel>
      <MqttPart />
      <HooksPart />
    </>
  );
}
