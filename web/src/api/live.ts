import { useEffect, useState } from 'react';
import type {
  About,
  Audition,
  BelievedEvent,
  Capture,
  DeviceEvent,
  Entry,
  Gauge,
  Lesson,
  NoticeEvent,
  Station,
  Stored,
} from './client';
import { applyCapture, applyGauge, applyLesson, applyNews, applyStation, applyStored } from './apply';
import { causeLeft } from './cause';
import { keys, queryClient } from './queries';
import { stale } from './stale';

// useLive keeps everything that was read fresh from the service's one event stream. It is false while the service
// does not answer. A hidden page gives its stream back: browsers allow only six connections to one address.
export function useLive(): boolean {
  const [online, setOnline] = useState(true);
  useEffect(() => {
    let source: EventSource | undefined;
    const open = () => {
      source ??= listen(setOnline);
    };
    const close = () => {
      source?.close();
      source = undefined;
    };
    const follow = () => (document.visibilityState === 'visible' ? open() : close());
    follow();
    document.addEventListener('visibilitychange', follow);
    window.addEventListener('pagehide', close);
    window.addEventListener('pageshow', follow);
    return () => {
      document.removeEventListener('visibilitychange', follow);
      window.removeEventListener('pagehide', close);
      window.removeEventListener('pageshow', follow);
      close();
    };
  }, []);
  return online;
}

// listen opens the stream and puts what it brings where it belongs.
function listen(setOnline: (online: boolean) => void): EventSource {
  const source = new EventSource('/api/events');
  const on = <T>(name: string, f: (data: T) => void) =>
    source.addEventListener(name, (e) => f(JSON.parse((e as MessageEvent<string>).data) as T));
  const list = <T>(
    name: string,
    key: readonly string[],
    apply: (old: T[] | undefined, item: T) => T[] | undefined,
  ) => on<T>(name, (item) => queryClient.setQueryData<T[]>(key, (old) => apply(old, item)));
  on<About>('about', (about) => {
    // The first word: from now on nothing is missed. What was read, or asked for, before it may be old.
    setOnline(true);
    causeLeft();
    const was = queryClient.getQueryData<About>(keys.about);
    if (was && was.version !== about.version) queryClient.setQueryData(keys.updated, true);
    queryClient.setQueryData(keys.about, about);
    queryClient.setQueryData(keys.news, []);
    void queryClient.invalidateQueries({ predicate: (q) => q.queryKey[0] !== keys.about[0] });
  });
  on('tiles', () => {
    // All that a guest hears.
    setOnline(true);
    [keys.boards, keys.boardStates].forEach(stale);
  });
  on<DeviceEvent>('device', () => {
    stale(keys.devices);
    stale(keys.boards); // what it has may stand there
    stale(keys.removed); // it may have been brought back
  });
  on<DeviceEvent>('device-removed', (d) => {
    queryClient.removeQueries({ queryKey: [...keys.devices, d.slug] });
    stale(keys.devices);
    stale(keys.removed);
  });
  on('set', () => stale(keys.sets));
  list<Capture>('capture', keys.captures, applyCapture);
  on<Stored>('stored', (s) =>
    queryClient.setQueryData<Capture[]>(keys.captures, (old) => applyStored(old, s.captures)),
  );
  list<Lesson>('lesson', keys.lessons, applyLesson);
  list<Audition>('audition', keys.auditions, applyLesson);
  on<Station>('station', (s) => {
    const before = queryClient.getQueryData<Station[]>(keys.stations)?.find((x) => x.name === s.name);
    queryClient.setQueryData<Station[]>(keys.stations, (old) => applyStation(old, s));
    if (before?.here === s.here) return;
    stale(keys.advice); // what can be sent has changed
    causeLeft();
  });
  on('groups', () => [keys.groups, keys.states].forEach(stale));
  on('sequences', () => [keys.sequences, keys.boards].forEach(stale));
  on('occasions', () => [keys.occasions, keys.boards, keys.boardStates].forEach(stale));
  on('errands', () => [keys.errands, keys.day, keys.boardStates].forEach(stale));
  on('measurements', () => stale(keys.measurements));
  on('boards', () => [keys.boards, keys.boardStates].forEach(stale));
  on('questions', () => stale(keys.boardStates));
  on('run', () => [keys.runs, keys.boardStates].forEach(stale));
  on('hold', () => stale(keys.holds));
  on<NoticeEvent>('notice', (n) => queryClient.setQueryData<NoticeEvent | null>(keys.notice, n));
  on('house', () => {
    stale(keys.house);
    stale(keys.mqtt);
  });
  on('rooms', () => [keys.rooms, keys.devices, keys.stations, keys.states].forEach(stale));
  on('stations', () => {
    causeLeft();
    stale(keys.stations);
    stale(keys.devices); // a device may name a station that has another name now
    stale(keys.advice);
  });
  on<Entry>('entry', (e) => {
    if (e.kind === 'access') [keys.sessions, keys.tokens, keys.people].forEach(stale);
    queryClient.setQueryData<Entry[]>(keys.news, (old) => applyNews(old, e));
  });
  on<BelievedEvent>('believed', () => [keys.states, keys.boardStates, keys.occasions].forEach(stale));
  on<Gauge>('measured', (m) => {
    [keys.states, keys.boardStates].forEach(stale);
    queryClient.setQueryData<Gauge[]>(keys.measurements, (old) => applyGauge(old, m));
  });
  on('stage', () => stale(keys.stage));
  on('reset', () => void queryClient.invalidateQueries());
  source.onerror = () => {
    setOnline(false);
    if (source.readyState === EventSource.CLOSED) void queryClient.invalidateQueries({ queryKey: keys.me });
  };
  return source;
}
