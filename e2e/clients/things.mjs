// A Web of Things client that others wrote (node-wot) finds the house, reads, sets and observes a control, over HTTP and
// over MQTT, and presses a key. usage: node things.mjs ADDRESS TOKEN
import core from '@node-wot/core';
import http from '@node-wot/binding-http';
import mqtt from '@node-wot/binding-mqtt';

const [address, token] = process.argv.slice(2);
const headers = { Authorization: `Bearer ${token}` };
const get = async (url) => (await fetch(url, { headers })).json();

const introduction = await (await fetch(`${address}/.well-known/wot`)).json();
const all = await get(introduction.base + introduction.properties.things.forms[0].href);
const description = all.find((t) => t.title === 'Boardwalk lights');
const Servient = core.Servient;
const servient = new Servient();
servient.addClientFactory(new http.HttpClientFactory(null));
servient.addClientFactory(new mqtt.MqttClientFactory());
servient.addCredentials({ [description.id]: { token, username: 'urbo.program', password: token } });
const wot = await servient.start();
const lights = await wot.consume(description);
// This client hands on no credentials where a form has a security of its own: the forms of MQTT are consumed apart.
const apart = structuredClone(description);
apart.security = ['broker'];
for (const p of Object.values(apart.properties)) {
  p.forms = p.forms.filter((f) => f.href.startsWith('mqtt:')).map(({ security: _, ...f }) => f);
}
const byBroker = await wot.consume(apart);
const value = async (o) => o.value();

// Observers hear of every change until they are stopped.
const seen = [];
const heard = (what) => {
  let all = [];
  let wake = () => {};
  return {
    push: (v) => {
      all.push(v);
      wake();
    },
    until: async (v) => {
      while (JSON.stringify(all.at(-1)) !== JSON.stringify(v)) await new Promise((r) => (wake = r));
      seen.push([what, v]);
    },
  };
};
const power = heard('http');
await lights.observeProperty('power', async (o) => power.push(await value(o)), (e) => console.error(String(e)));
const belief = heard('mqtt');
await byBroker.observeProperty(
  'power-belief',
  async (o) => belief.push((await value(o)).value),
  (e) => console.error(String(e)),
);

await lights.writeProperty('power', 'on');
await power.until('on');
await belief.until('on');
const read = await value(await lights.readProperty('power'));
await byBroker.writeProperty('power', 'off');
await power.until('off');
await belief.until('off');
const status = await value(await lights.invokeAction('press', { key: 'power' }));
await power.until('on');
const ended = await get(introduction.base + status.href);
console.log(JSON.stringify({ read, seen, status: ended.status, possible: description.properties.power.oneOf[0].enum }));
process.exit(0);
