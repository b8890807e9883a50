import type { KeySpec } from './match.ts';

/** Something that a key does. */
interface KeyAction {
  /** The keys that do it, each of several; how they are written is told in `match.ts`. */
  keys: readonly KeySpec[];
  /** The keys as the sheet shows them; missing where another line of the sheet tells of it. */
  shown?: string;
  /** The other way to the same, for keyboards on which the first is hard to reach. */
  also?: string;
  /** What it does, for the sheet. */
  does?: string;
  /** The browser's own use of the key is kept from happening. */
  instead?: true;
}

/** Every key there is: what binds keys and what the sheet of keys shows. */
export const keyTable = {
  Everywhere: {
    play: { keys: ['space'], shown: 'space', does: 'play or pause' },
    frameBack: {
      keys: [',', 'f8'],
      shown: ',  .',
      also: 'F8  F9',
      does: 'one frame back or on',
      instead: true,
    },
    frameOn: { keys: ['.', 'f9'], instead: true },
    framesBack: {
      keys: ['<', 'shift+f8'],
      shown: '<  >',
      also: 'shift F8  F9',
      does: 'twenty-five frames',
      instead: true,
    },
    framesOn: { keys: ['>', 'shift+f9'], instead: true },
    start: { keys: ['home'], shown: 'home', does: 'to the first frame' },
    sound: { keys: ['s'], shown: 's', does: 'sound on or off' },
    loop: { keys: ['l'], shown: 'l', does: 'play the shot again and again' },
    shotBefore: { keys: ['[', 'q'], shown: '[  ]', also: 'q  w', does: 'the shot before or after' },
    shotAfter: { keys: [']', 'w'] },
    scoreShot: {
      keys: ['j'],
      shown: 'j  shift j',
      does: 'show this shot, or the whole film, along the score',
    },
    scoreAll: { keys: ['shift+j'] },
    nextTrouble: { keys: ['n'], shown: 'n', does: 'the next trouble' },
    blocked: { keys: ['b'], shown: 'b', does: 'show or hide where the outlet draws' },
    margin: { keys: ['m'], shown: 'm', does: 'show or hide the safe margin' },
    undo: { keys: ['mod+z'], shown: 'ctrl z', does: 'take back; with shift, do again', instead: true },
    redo: { keys: ['mod+shift+z', 'mod+y'], instead: true },
    versionAfter: {
      keys: ['pagedown'],
      shown: 'page up, page down',
      does: 'the version before or after',
      instead: true,
    },
    versionBefore: { keys: ['pageup'], instead: true },
    find: { keys: ['/', 'f2'], shown: '/', also: 'F2', does: 'find anything, or go anywhere', instead: true },
    keys: { keys: ['?', 'f1'], shown: '?', also: 'F1', does: 'this sheet', instead: true },
  },
  Framing: {
    nudge: {
      keys: ['left', 'right', 'up', 'down'],
      shown: '← → ↑ ↓',
      does: 'move the window by one master pixel',
      instead: true,
    },
    nudgeFar: {
      keys: ['shift+left', 'shift+right', 'shift+up', 'shift+down'],
      shown: 'shift with an arrow',
      does: 'by ten',
      instead: true,
    },
    zoomIn: {
      keys: ['+', '=', 'z'],
      shown: '+  −',
      also: 'z, shift z',
      does: 'zoom in or out',
      instead: true,
    },
    zoomOut: { keys: ['-', 'shift+z'], instead: true },
    centre: { keys: ['0'], shown: '0', does: 'back to the middle, at full size' },
    hold: { keys: ['h'], shown: 'h  g  k', does: 'hold, glide, set a keyframe or point' },
    glide: { keys: ['g'] },
    keyframe: { keys: ['k'] },
    removeKeyframe: {
      keys: ['delete', 'backspace'],
      shown: 'delete',
      does: 'remove the keyframe or point here',
    },
    share: { keys: ['a'], shown: 'a', does: 'share with the camera’s other shots, or frame alone' },
    follow: { keys: ['f'], shown: 'f', does: 'frame the shot by what is seen' },
    subjects: { keys: ['o'], shown: 'o', does: 'show or hide the subjects' },
    drawSubject: { keys: ['d'], shown: 'd', does: 'draw a subject' },
    lock: { keys: ['t'], shown: 't', does: 'lock or unlock the shot' },
    good: { keys: ['y'], shown: 'y  u', does: 'in the round: it is good, or the next one' },
    nextWorthALook: { keys: ['u'] },
    copy: { keys: ['c'], shown: 'c  v', does: 'copy or paste a shot’s framing' },
    paste: { keys: ['v'] },
  },
  Timing: {
    keepOrDrop: { keys: ['d'], shown: 'd', does: 'keep or drop the shot, or what lies between in and out' },
    split: { keys: ['x'], shown: 'x', does: 'split the span here' },
    markIn: { keys: ['i'], shown: 'i  o', does: 'in and out points' },
    markOut: { keys: ['o'] },
    takeEdge: { keys: ['e'], shown: 'e', does: 'take the nearest edge in hand, or the other one' },
    trim: {
      keys: ['left', 'right'],
      shown: '← →',
      does: 'trim that edge by a frame; without one, step',
      instead: true,
    },
    trimFar: {
      keys: ['shift+left', 'shift+right'],
      shown: 'shift with an arrow',
      does: 'by ten',
      instead: true,
    },
    roll: { keys: ['r', 'shift+r'], shown: 'r', does: 'move the join at that edge; with shift, back' },
    playEarlier: { keys: ['up'], shown: '↑ ↓', does: 'play the span earlier or later', instead: true },
    playLater: { keys: ['down'], instead: true },
    letGo: { keys: ['escape'], shown: 'escape', does: 'let go of the edge and the points' },
  },
  Layers: {
    nudge: {
      keys: ['left', 'right', 'up', 'down'],
      shown: '← → ↑ ↓',
      does: 'move the layer by one delivered pixel',
      instead: true,
    },
    nudgeFar: {
      keys: ['shift+left', 'shift+right', 'shift+up', 'shift+down'],
      shown: 'shift with an arrow',
      does: 'by ten',
      instead: true,
    },
    remove: { keys: ['delete', 'backspace'], shown: 'delete', does: 'remove the layer' },
    cueStart: { keys: ['i'], shown: 'i  o', does: 'the cue at hand begins, or ends, at the play head' },
    cueEnd: { keys: ['o'] },
    cueSplit: { keys: ['x'], shown: 'x', does: 'split the cue at the play head' },
    cueAdd: { keys: ['a'], shown: 'a', does: 'a new cue at the play head' },
  },
  Master: {
    cutHere: { keys: ['x'], shown: 'x', does: 'cut the film here' },
    remove: {
      keys: ['delete', 'backspace'],
      shown: 'delete',
      does: 'join the shot to the one before, or remove the keep',
    },
    drawKeep: { keys: ['d'], shown: 'd', does: 'draw a keep' },
  },
  'Proof sheet': {
    enlarge: { keys: ['e'], shown: 'e', does: 'enlarge a proof beside its master' },
  },
} as const satisfies Record<string, Record<string, KeyAction>>;

type Table = typeof keyTable;
/** Where keys work, as the sheet's headings say. */
export type KeyPlace = keyof Table;
/** A key's action: where it works and what it is, `Framing.hold`. */
export type KeyName = { [Place in KeyPlace]: `${Place}.${string & keyof Table[Place]}` }[KeyPlace];

/** The action of a name. */
export function keyAction(name: KeyName): KeyAction {
  const [place, action] = name.split('.') as [KeyPlace, string];
  return (keyTable[place] as Record<string, KeyAction>)[action]!;
}
