import type { Mqtt, MqttChange } from '../api/client';
import { words } from '../app/words';

// Fields is what can be changed of the MQTT face.
export type Fields = {
  broker: string;
  user: string;
  password: string;
  ca: string;
  base: string;
  use: boolean;
};

// change is what is different about some fields; what is as it was is left out.
export function change(m: Mqtt, f: Fields): MqttChange {
  const out: MqttChange = {};
  const broker = f.broker.trim();
  if (broker !== (m.broker ?? '')) out.broker = broker;
  if (broker !== '') {
    if (f.user.trim() !== (m.user ?? '')) out.user = f.user.trim();
    if (f.password !== '') out.password = f.password;
    const ca = broker.startsWith('mqtts:') ? f.ca.trim() : '';
    if (ca !== (m.ca ?? '').trim()) out.ca = ca;
  }
  if (f.base.trim() !== m.base) out.base = f.base.trim();
  if (f.use !== m.rights.includes('use')) out.rights = f.use ? ['see', 'use'] : ['see'];
  return out;
}

// stateOf says in words how the face is.
export function stateOf(m: Mqtt): string {
  if (m.at === undefined) return words.faces.noBroker;
  const at = m.at === 'own' ? words.faces.own(m.listens ?? '') : words.faces.outside(m.at);
  if (!m.on) return words.faces.isOff;
  if (m.here) return words.faces.here(at, m.version ?? 5);
  return m.error === undefined ? words.faces.connects(at) : words.faces.notHere(at, m.error);
}

// commands are how a common client connects, word by word.
export function commands(m: Mqtt): { title: string; text: string }[] {
  let at: string;
  if (m.at === 'own') {
    const listens = m.listens ?? '127.0.0.1:1883';
    const colon = listens.lastIndexOf(':');
    at = `-h ${listens.slice(0, colon)} -p ${listens.slice(colon + 1)} -u urbo.program -P ${words.faces.tokenWord}`;
  } else {
    at = `-L ${m.at ?? ''}/`;
  }
  const publish = at.startsWith('-L') ? `mosquitto_pub ${at}` : `mosquitto_pub ${at} -t `;
  const subscribe = at.startsWith('-L') ? `mosquitto_sub ${at}` : `mosquitto_sub ${at} -t `;
  return [
    { title: words.faces.listen, text: `${subscribe}'${m.base}/#' -v` },
    { title: words.faces.want, text: `${publish}${m.base}/want/DEVICE/power -m on` },
  ];
}
