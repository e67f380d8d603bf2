import Box from '@mui/material/Box';
import { useQuery } from '@tanstack/react-query';
import { Fragment } from 'react';
import { client, unwrap } from '../api/client';
import { keys } from '../api/queries';
import { useSpeech } from '../say/queries';
import { Failed } from '../shared/Failed';
import { clock } from '../shared/text';
import { words } from '../app/words';
import { Note, Panel } from '../shared/Panel';
import { AssistantsPart } from './AssistantsPart';
import { Command } from './Command';
import { HooksPart } from './HooksPart';
import { MqttPart } from './MqttPart';
import { OutwardPart } from './OutwardPart';

// FacesPart is the ways in from the network: which are on, where, who came last, and how to connect.
export default function FacesPart() {
  const at = window.location.origin;
  const faces = useQuery({ queryKey: keys.faces, queryFn: () => unwrap(client.GET('/api/faces')) });
  const last = faces.data?.last;
  return (
    <>
      <Panel title={words.faces.http}>
        <Failed of={[faces]} />
        <Facts
          of={[
            [words.faces.address, at],
            ...(last ? [[words.faces.last, words.faces.lastOf(last.name, last.from, clock(last.at))]] : []),
          ]}
        />
        <p>{words.faces.token}</p>
        <Command
          title={words.faces.try}
          text={`curl -H "Authorization: Bearer ${words.faces.tokenWord}" ${at}/api/devices`}
        />
      </Panel>
      <MqttPart />
      <Panel title={words.faces.discovery}>
        {faces.data?.discovery ? (
          <Facts of={faces.data.found.map((f) => [f.interface, f.addresses.join(', ')])} />
        ) : (
          <Note>{words.faces.notFound}</Note>
        )}
        {faces.data?.error && <Note alert>{faces.data.error}</Note>}
        <Command title={words.faces.things} text={`curl ${at}/.well-known/wot`} />
        {faces.data?.discovery && <Command title={words.faces.browse} text="avahi-browse -rt _urbo._tcp" />}
      </Panel>
      <SpeechPart />
      <AssistantsPart />
      <HooksPart />
      <OutwardPart />
    </>
  );
}

// SpeechPart is how spoken words are understood.
function SpeechPart() {
  const speech = useSpeech();
  return (
    <Panel title={words.faces.speech}>
      <Failed of={[speech]} />
      {speech.data && (
        <Note>
          {speech.data.program ? words.faces.speechBy(speech.data.program) : words.say.noProgram}{' '}
          {words.faces.trusted(speech.data.trusted)}
        </Note>
      )}
      <Command
        title={words.faces.speechTry}
        text="arecord -f S16_LE -r 16000 -d 3 said.wav; urbo speech hear said.wav"
      />
    </Panel>
  );
}

// Facts are names with what they are.
function Facts({ of: all }: { of: string[][] }) {
  return (
    <Box
      component="dl"
      sx={{ display: 'grid', gridTemplateColumns: 'auto 1fr', columnGap: 4, rowGap: 1, m: 0 }}
    >
      {all.map(([name, is]) => (
        <Fragment key={name}>
          <Box component="dt" sx={{ color: 'text.secondary' }}>
            {name}
          </Box>
          <Box component="dd" sx={{ m: 0, overflowWrap: 'anywhere' }}>
            {is}
          </Box>
        </Fragment>
      ))}
    </Box>
  );
}
