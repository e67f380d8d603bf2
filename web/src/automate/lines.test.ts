import { describe, expect, it } from 'vitest';
import type { Hold, Run } from '../api/client';
import { cameLine, dueLine, holdLine, insert, runLine } from './lines';

const run: Run = {
  id: 'u1',
  name: 'fanfare',
  by: 'Keeper',
  began: '2026-11-28T12:00:00Z',
  phase: 'step',
  step: 2,
  steps: 5,
  says: 'wait 2 s',
  log: [],
  logged: 1,
};
const hold: Hold = {
  id: 'k1',
  device: 'boardwalk',
  control: 'power',
  value: 'on',
  back: 'off',
  since: '2026-11-28T12:00:00Z',
  until: '2026-11-28T12:10:00Z',
  by: 'Keeper',
  phase: 'held',
};

describe('runLine', () => {
  it('says where a run is in every phase', () => {
    expect(runLine(run)).toBe('step 2 of 5: wait 2 s');
    expect(runLine({ ...run, phase: 'queued' })).toBe('waits for its turn');
    expect(runLine({ ...run, phase: 'waiting', until: hold.until })).toMatch(
      /^step 2 of 5: wait 2 s, until /,
    );
    expect(runLine({ ...run, phase: 'asking', until: hold.until })).toMatch(/has to know something, until /);
    expect(runLine({ ...run, phase: 'ended', end: 'failed', reason: 'no station' })).toBe(
      'failed: no station',
    );
    expect(runLine({ ...run, phase: 'ended', end: 'done' })).toBe('done');
  });
});

describe('holdLine', () => {
  it('says what comes after it, where that is known', () => {
    expect(holdLine(hold)).toMatch(/^on until .*, then off$/);
    expect(holdLine({ ...hold, back: undefined })).toMatch(/^on until [^,]*$/);
    expect(holdLine({ ...hold, phase: 'owed', reason: 'the station is away' })).toBe(
      'not back at off yet: the station is away',
    );
    expect(holdLine({ ...hold, phase: 'going back' })).toBe('goes back to off');
    expect(holdLine({ ...hold, frozen: true })).toContain('its device is removed');
  });
});

describe('errands', () => {
  it('are due at the time that clocks of the house show', () => {
    expect(dueLine('2026-12-05T16:32:00+01:00')).toBe('Sat 2026-12-05 16:32');
  });
  it('say why they did not run', () => {
    const came = { at: '', errand: 'dusk', cue: '', did: 'skipped' as const };
    expect(cameLine({ ...came, answers: [{ asked: 'sun down', is: 'no' }] })).toBe(
      'did not run, sun down: no',
    );
    expect(cameLine({ ...came, did: 'ran', answers: [{ asked: 'sun down', is: 'yes' }] })).toBe('ran');
  });
  it('take a word in the place of the one that is typed', () => {
    expect(insert('errand a when su', 'su', 'sunset')).toBe('errand a when sunset ');
    expect(insert('errand a when', '', 'at')).toBe('errand a when at ');
  });
});
