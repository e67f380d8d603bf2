import { useEffect, useState } from 'react';
import type { About, Audition, Capture, Device, DeviceLine, Entry, Lesson, Station } from './client';
import { applyCapture, applyDevice, applyEntry, applyLesson, applyStation } from './apply';
import { keys, queryClient } from './queries';

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
    queryClient.setQueryData(keys.about, about);
    void queryClient.invalidateQueries({ predicate: (q) => q.queryKey[0] !== keys.about[0] });
  });
  on<Device>('device', (d) => {
    queryClient.setQueryData<DeviceLine[]>(keys.devices, (old) => applyDevice(old, d));
    if (d.name) queryClient.setQueryData<Device>([...keys.devices, d.slug], (old) => old && d);
    else void queryClient.invalidateQueries({ queryKey: [...keys.devices, d.slug] });
  });
  list<Capture>('capture', keys.captures, applyCapture);
  list<Lesson>('lesson', keys.lessons, applyLesson);
  list<Audition>('audition', keys.auditions, applyLesson);
  list<Station>('station', keys.stations, applyStation);
  on<Entry>('entry', (e) =>
    queryClient.setQueryData<{ pages: Entry[][]; pageParams: unknown[] }>(
      keys.journal,
      (old) => old && { ...old, pages: applyEntry(old.pages, e) },
    ),
  );
  on('stage', () => void queryClient.invalidateQueries({ queryKey: keys.stage }));
  on('reset', () => void queryClient.invalidateQueries());
  source.onerror = () => {
    setOnline(false);
    if (source.readyState === EventSource.CLOSED) void queryClient.invalidateQueries({ queryKey: keys.me });
  };
  return source;
}
