import { expect, it } from 'vitest';
import { pieces } from './pieces';

it('gives weight to what a sentence is about, and loses nothing of it', () => {
  const text =
    'errand dusk\nwhen 10 min after dusk not after 22:30\ndo set boardwalk/power to on\n  then notify "on and off"';
  const got = pieces(text);
  expect(got.map((p) => p.text).join('')).toBe(
    'when 10 min after dusk not after 22:30 do set boardwalk/power to on then notify "on and off"',
  );
  const strong = got.filter((p) => p.weight === 'strong').map((p) => p.text.trim());
  expect(strong).toEqual(['dusk', 'boardwalk/power', '"on and off"']);
  expect(got[0]).toEqual({ text: 'when ', weight: 'light' });
});
