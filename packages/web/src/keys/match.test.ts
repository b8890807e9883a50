import { describe, expect, test } from '@jest/globals';
import { keyAction, keyTable, type KeyName, type KeyPlace } from './registry.ts';
import { matches, type KeyPress } from './match.ts';

const press = (key: string, held: Partial<KeyPress> & { altGr?: boolean } = {}): KeyPress => ({
  key,
  shiftKey: false,
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  getModifierState: (name) => name === 'AltGraph' && held.altGr === true,
  ...held,
});
const does = (name: KeyName, event: KeyPress) => keyAction(name).keys.some((key) => matches(event, key));
const shift = { shiftKey: true };
const altGr = { altGr: true };

describe('keys are told by the character that a keyboard types', () => {
  // Which keys a sign takes, by layout (common knowledge of the three): with shift, with AltGr, or alone.
  test.each<[string, Record<string, KeyPress>]>([
    [
      'German',
      {
        'Everywhere.keys': press('?', shift),
        'Everywhere.shotBefore': press('[', altGr),
        'Everywhere.shotAfter': press(']', altGr),
        'Everywhere.frameBack': press(','),
        'Everywhere.frameOn': press('.'),
        'Everywhere.framesOn': press('>', shift),
        'Framing.zoomIn': press('+'),
        'Framing.zoomOut': press('-'),
      },
    ],
    [
      'French',
      {
        'Everywhere.keys': press('?', shift),
        'Everywhere.shotBefore': press('[', altGr),
        'Everywhere.shotAfter': press(']', altGr),
        'Everywhere.frameBack': press(','),
        'Everywhere.frameOn': press('.', shift),
        'Everywhere.framesOn': press('>', shift),
        'Framing.zoomIn': press('+', shift),
        'Framing.zoomOut': press('-'),
        'Framing.centre': press('0', shift),
      },
    ],
    [
      'Swedish',
      {
        'Everywhere.keys': press('?', shift),
        'Everywhere.shotBefore': press('[', altGr),
        'Everywhere.shotAfter': press(']', altGr),
        'Everywhere.frameBack': press(','),
        'Everywhere.frameOn': press('.'),
        'Everywhere.framesOn': press('>', shift),
        'Framing.zoomIn': press('+'),
        'Framing.zoomOut': press('-'),
      },
    ],
  ])('%s', (_layout, presses) => {
    for (const [name, event] of Object.entries(presses)) {
      expect([name, does(name as KeyName, event)]).toEqual([name, true]);
      // Nothing else that works there hears it.
      const place = name.split('.')[0] as KeyPlace;
      const others = Object.keys(keyTable[place])
        .map((action) => `${place}.${action}` as KeyName)
        .filter((other) => other !== name && does(other, event));
      expect([name, others]).toEqual([name, []]);
    }
  });

  test('AltGr may come as ctrl and alt together', () => {
    expect(does('Everywhere.shotBefore', press('[', { ctrlKey: true, altKey: true }))).toBe(true);
  });

  test('a sign that needs AltGr somewhere has a second way that needs none', () => {
    for (const place of Object.keys(keyTable) as KeyPlace[])
      for (const action of Object.keys(keyTable[place])) {
        const { keys } = keyAction(`${place}.${action}` as KeyName);
        const needs = (key: string) => ['[', ']', '{', '}', '@', '|', '\\', '~'].includes(key);
        if (keys.some(needs)) expect(keys.some((key) => !needs(key))).toBe(true);
      }
  });
});

describe('what is held with a key', () => {
  test.each<[string, KeyPress, boolean]>([
    ['s', press('s'), true],
    ['s', press('S'), true],
    ['s', press('s', { ctrlKey: true }), false],
    ['s', press('S', shift), false],
    ['r', press('r', { metaKey: true }), false],
    ['shift+r', press('R', shift), true],
    ['mod+z', press('z', { ctrlKey: true }), true],
    ['mod+z', press('z', { metaKey: true }), true],
    ['mod+z', press('Z', { ctrlKey: true, shiftKey: true }), false],
    ['mod+shift+z', press('Z', { ctrlKey: true, shiftKey: true }), true],
    ['left', press('ArrowLeft'), true],
    ['left', press('ArrowLeft', shift), false],
    ['left', press('ArrowLeft', { altKey: true }), false],
    ['shift+left', press('ArrowLeft', shift), true],
    ['space', press(' '), true],
    ['f8', press('F8'), true],
    ['+', press('+', shift), true],
    ['+', press('+', { ctrlKey: true }), false],
    ['s', press('s', { isComposing: true }), false],
  ])('%s and %j: %s', (spec, event, expected) => expect(matches(event, spec)).toBe(expected));
});
