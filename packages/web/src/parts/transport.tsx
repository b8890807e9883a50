import LoopIcon from '@mui/icons-material/RepeatOutlined';
import PauseIcon from '@mui/icons-material/Pause';
import PlayIcon from '@mui/icons-material/PlayArrow';
import SoundOffIcon from '@mui/icons-material/VolumeOff';
import SoundOnIcon from '@mui/icons-material/VolumeUp';
import Tooltip from '@mui/material/Tooltip';
import { memo, useEffect, useRef } from 'react';
import { useKey } from '../keys/use-key.ts';
import { frameToTimecode, type FrameSpan } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { EditableTime } from './editable-time.tsx';
import { useDesk, useHeadPart } from '../play/use-desk.tsx';
import styles from './transport.module.css';

/** The shuttle's furthest speeds, film seconds a second. */
const fastest = 8;

/** The head's frame in timecode; typed over, the head goes there. */
function Timecode({ master }: { master: Master }) {
  const desk = useDesk();
  const frame = useHeadPart('frame');
  const rate = master.facts?.video.rate ?? { num: 25, den: 1 };
  const go = (to: number) => {
    desk.pause();
    desk.seek(to);
  };
  return (
    <EditableTime
      label="Go to"
      frame={frame}
      rate={rate}
      min={0}
      max={(master.facts?.video.frames ?? 1) - 1}
      className="mono headtime"
      shown={<span data-testid="timecode">{frameToTimecode(frame, rate)}</span>}
      onChange={go}
    />
  );
}

/** The play head in timecode, with play, sound, the shuttle, and a loop over the shot at hand. */
export const Transport = memo(function Transport({
  master,
  shot,
}: {
  master: Master;
  shot?: FrameSpan | undefined;
}) {
  const desk = useDesk();
  const playing = useHeadPart('playing');
  const sound = useHeadPart('sound');
  const loop = useHeadPart('loop');
  usePlayKeys(shot);
  const toggleLoop = () => desk.setLoop(loop ? null : (shot ?? null));
  return (
    <div className={styles.controls}>
      <Tooltip title={playing ? 'Pause (space)' : 'Play (space)'}>
        <button
          className={`iconbutton ${styles.ink}`}
          onClick={() => desk.toggle()}
          aria-label={playing ? 'Pause' : 'Play'}
        >
          {playing ? <PauseIcon /> : <PlayIcon />}
        </button>
      </Tooltip>
      <Timecode master={master} />
      {master.facts?.audio && (
        <Tooltip title={sound ? 'Sound off (s)' : 'Sound on (s)'}>
          <button
            className="iconbutton"
            onClick={() => desk.setSound(!sound)}
            aria-label={sound ? 'Sound off' : 'Sound on'}
            aria-pressed={sound}
          >
            {sound ? <SoundOnIcon /> : <SoundOffIcon />}
          </button>
        </Tooltip>
      )}
      {(shot || loop) && (
        <Tooltip title={loop ? 'Play on (l)' : 'Play this shot again and again (l)'}>
          <button
            className="iconbutton"
            onClick={toggleLoop}
            aria-label="Loop the shot"
            aria-pressed={loop !== null}
            style={loop ? { background: 'var(--trough)', color: 'var(--ink)' } : undefined}
          >
            <LoopIcon />
          </button>
        </Tooltip>
      )}
      <Shuttle />
    </div>
  );
});

/** A lever that springs back to the middle: the further it is pushed, the faster the film runs, either way. */
function Shuttle() {
  const desk = useDesk();
  const shuttle = useHeadPart('shuttle');
  const lever = useRef<HTMLInputElement>(null);
  const letGo = () => {
    if (desk.snapshot().shuttle !== 0) desk.shuttle(0);
  };
  useEffect(() => letGo, []); // eslint-disable-line react-hooks/exhaustive-deps -- leaving the screen lets go
  // The middle is still; from there the speed doubles in equal steps.
  const speedOf = (value: number) =>
    value === 0 ? 0 : Math.sign(value) * 2 ** ((Math.abs(value) / 100) * 4 - 1);
  return (
    <Tooltip title="Shuttle: hold and push to run the film either way">
      <input
        ref={lever}
        type="range"
        className="shuttle"
        aria-label="Shuttle"
        min={-100}
        max={100}
        step={5}
        value={
          shuttle === 0 ? 0 : Math.round(Math.sign(shuttle) * ((Math.log2(Math.abs(shuttle)) + 1) / 4) * 100)
        }
        aria-valuetext={shuttle === 0 ? 'still' : `${shuttle.toFixed(1)} times`}
        onChange={(event) =>
          desk.shuttle(Math.max(-fastest, Math.min(fastest, speedOf(Number(event.target.value)))))
        }
        // The keys belong to the screen again as soon as the lever is let go.
        onPointerUp={(event) => {
          letGo();
          event.currentTarget.blur();
        }}
        onPointerCancel={letGo}
        onBlur={letGo}
        onKeyUp={(event) => event.key === 'Escape' && letGo()}
      />
    </Tooltip>
  );
}

/** The keys that move the play head, the same on every screen. */
function usePlayKeys(shot: FrameSpan | undefined): void {
  const desk = useDesk();
  useKey('Everywhere.play', (event) => {
    // Space on a button presses the button.
    if (event.target instanceof HTMLElement && event.target.closest('button, [role=button]')) return;
    event.preventDefault();
    desk.toggle();
  });
  useKey('Everywhere.frameBack', () => desk.step(-1));
  useKey('Everywhere.frameOn', () => desk.step(1));
  useKey('Everywhere.framesBack', () => desk.step(-25));
  useKey('Everywhere.framesOn', () => desk.step(25));
  useKey('Everywhere.start', () => desk.seek(0));
  useKey('Everywhere.sound', () => desk.setSound(!desk.snapshot().sound));
  useKey('Everywhere.loop', () => desk.setLoop(desk.snapshot().loop ? null : (shot ?? null)));
}
