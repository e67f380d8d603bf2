// A calendar reader that others wrote (ical.js) reads the coming times of errands. usage: node calendar.mjs ADDRESS
import ICAL from 'ical.js';

const text = await (await fetch(process.argv[2])).text();
const calendar = new ICAL.Component(ICAL.parse(text));
const events = calendar.getAllSubcomponents('vevent').map((c) => new ICAL.Event(c));
console.log(
  JSON.stringify(events.map((e) => ({ title: e.summary, at: e.startDate.toJSDate().toISOString(), uid: e.uid }))),
);
