import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import { useState } from 'react';
import { useKeys } from './use-keys.ts';

const keyList: readonly [string, readonly [string, string][]][] = [
  [
    'Everywhere',
    [
      ['space', 'play or pause'],
      [',  .', 'one frame back or on'],
      ['shift ,  .', 'twenty-five frames'],
      ['home', 'to the first frame'],
      ['s', 'sound on or off'],
      ['l', 'play the shot again and again'],
      ['[  ]', 'the shot before or after'],
      ['n', 'the next trouble'],
      ['b', 'show or hide where the outlet draws'],
      ['m', 'show or hide the safe margin'],
      ['?', 'this sheet'],
    ],
  ],
  [
    'Framing',
    [
      ['← → ↑ ↓', 'move the window by one master pixel'],
      ['shift with an arrow', 'by ten'],
      ['+  −', 'zoom in or out'],
      ['0', 'back to the middle, at full size'],
      ['h  g  k', 'hold, glide, set a keyframe or point'],
      ['delete', 'remove the keyframe or point here'],
      ['a', 'share with the camera’s other shots, or frame alone'],
      ['f', 'frame the shot by what is seen'],
      ['o', 'show or hide the subjects'],
      ['d', 'draw a subject'],
      ['t', 'lock or unlock the shot'],
      ['y  u', 'in the round: it is good, or the next one'],
      ['c  v', 'copy or paste a shot’s framing'],
      ['ctrl z', 'take back; with shift, do again'],
      ['page up, page down', 'the version before or after'],
    ],
  ],
  [
    'Timing',
    [
      ['d', 'keep or drop the shot, or what lies between in and out'],
      ['x', 'split the span here'],
      ['i  o', 'in and out points'],
      ['e', 'take the nearest edge in hand, or the other one'],
      ['← →', 'trim that edge by a frame; without one, step'],
      ['shift with an arrow', 'by ten'],
      ['r', 'move the join at that edge; with shift, back'],
      ['↑ ↓', 'play the span earlier or later'],
      ['escape', 'let go of the edge and the points'],
      ['ctrl z', 'take back; with shift, do again'],
    ],
  ],
  [
    'Master',
    [
      ['x', 'cut the film here'],
      ['delete', 'join the shot to the one before, or remove the keep'],
      ['d', 'draw a keep'],
      ['ctrl z', 'take back; with shift, do again'],
    ],
  ],
  ['Proof sheet', [['e', 'enlarge a proof beside its master']]],
];

/** The list of keys, opened with “?” from anywhere. */
export function KeysSheet() {
  const [open, setOpen] = useState(false);
  useKeys('shift+slash,?', () => setOpen((was) => !was), { useKey: false });
  return (
    <Dialog open={open} onClose={() => setOpen(false)} aria-labelledby="keys-title">
      <DialogContent sx={{ minWidth: 480 }}>
        <h2 id="keys-title" style={{ fontSize: 17, marginBottom: 12 }}>
          Keys
        </h2>
        {keyList.map(([where, keys]) => (
          <section key={where} style={{ marginBottom: 16 }}>
            <h3 className="quiet" style={{ fontSize: 12, marginBottom: 6 }}>
              {where}
            </h3>
            <dl style={{ display: 'grid', gridTemplateColumns: '190px 1fr', rowGap: 6 }}>
              {keys.map(([key, does]) => [
                <dt key={key} className="mono">
                  {key}
                </dt>,
                <dd key={does}>{does}</dd>,
              ])}
            </dl>
          </section>
        ))}
      </DialogContent>
    </Dialog>
  );
}
