import { describe, expect, test } from '@jest/globals';
import { keyAction, keyTable, type KeyName, type KeyPlace } from './registry.ts';

const places = Object.keys(keyTable) as KeyPlace[];
const namesOf = (place: KeyPlace) =>
  Object.keys(keyTable[place]).map((action) => `${place}.${action}` as KeyName);
const keysOf = (name: KeyName) => [...keyAction(name).keys];

describe('the table of keys', () => {
  test.each(places)('in %s no key does two things', (place) => {
    // What works everywhere works there, too.
    const names = [...new Set([...namesOf('Everywhere'), ...namesOf(place)])];
    const keys = names.flatMap(keysOf);
    expect(keys.filter((key, i) => keys.indexOf(key) !== i)).toEqual([]);
  });

  test.each(places)(
    'every key of %s is on the sheet, by a line of its own or of the one before it',
    (place) => {
      const actions = namesOf(place).map(keyAction);
      expect(actions[0]?.shown).toBeDefined();
      for (const action of actions) expect(action.shown === undefined).toBe(action.does === undefined);
      const lines = actions.filter((a) => a.shown).map((a) => a.does);
      expect(new Set(lines).size).toBe(lines.length);
    },
  );
});
