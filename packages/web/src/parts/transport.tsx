import PauseIcon from '@mui/icons-material/Pause';
import PlayIcon from '@mui/icons-material/PlayArrow';
import SoundOffIcon from '@mui/icons-material/VolumeOff';
import SoundOnIcon from '@mui/icons-material/VolumeUp';
import Tooltip from '@mui/material/Tooltip';
import { useHotkeys } from 'react-hotkeys-hook';
import type { Master } from '@mivvy/api';
import { frameToTimecode } from '@mivvy/core';
import { useDesk, useHead } from '../play/use-desk.tsx';

/** The play head in timecode, with play and sound. */
export function Transport({ master }: { master: Master }) {
  const desk = useDesk();
  const { frame, playing, sound } = useHead();
  const rate = master.facts?.video.rate ?? { num: 25, den: 1 };
  usePlayKeys();
  return (
    <div style={{ display: 'flex', alignItems: 'center', gap: 4 }}>
      <Tooltip title={playing ? 'Pause (space)' : 'Play (space)'}>
        <button className="iconbutton" onClick={() => desk.toggle()} aria-label={playing ? 'Pause' : 'Play'} style={{ color: 'var(--ink)' }}>{playing ? <PauseIcon /> : <PlayIcon />}</button>
      </Tooltip>
      <span className="mono" style={{ fontSize: 17, letterSpacing: '-0.02em' }} data-testid="timecode">{frameToTimecode(frame, rate)}</span>
      {master.facts?.audio && (
        <Tooltip title={sound ? 'Sound off (s)' : 'Sound on (s)'}>
          <button className="iconbutton" onClick={() => desk.setSound(!sound)} aria-label={sound ? 'Sound off' : 'Sound on'} aria-pressed={sound}>{sound ? <SoundOnIcon /> : <SoundOffIcon />}</button>
        </Tooltip>
      )}
    </div>
  );
}

/** The keys that move the play head, the same on every screen. */
function usePlayKeys(): void {
  const desk = useDesk();
  const { sound } = useHead();
  useHotkeys('space', (event) => {
    // Space on a button presses the button.
    if (event.target instanceof HTMLElement && event.target.closest('button, a, [role=button]')) return;
    event.preventDefault();
    desk.toggle();
  });
  useHotkeys('comma', () => desk.step(-1));
  useHotkeys('period', () => desk.step(1));
  useHotkeys('shift+comma', () => desk.step(-25));
  useHotkeys('shift+period', () => desk.step(25));
  useHotkeys('home', () => desk.seek(0));
  useHotkeys('s', () => desk.setSound(!sound), [sound]);
}
