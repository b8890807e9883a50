import { useEffect, useRef, useState } from 'react';

const key = 'mivvy.tell-run-end';
const isWished = () => localStorage.getItem(key) === 'yes';

/** Whether this browser is to tell when a run has ended. */
export function useTellWish(): [boolean, (on: boolean) => void] {
  const [wished, setWished] = useState(isWished);
  return [
    wished,
    (on) => {
      localStorage.setItem(key, on ? 'yes' : 'no');
      setWished(on);
    },
  ];
}

/** Two short tones, a fifth apart. */
function sound(): void {
  const audio = new AudioContext();
  const tone = (hertz: number, from: number) => {
    const [oscillator, gain] = [audio.createOscillator(), audio.createGain()];
    oscillator.frequency.value = hertz;
    gain.gain.setValueAtTime(0.12, audio.currentTime + from);
    gain.gain.exponentialRampToValueAtTime(0.001, audio.currentTime + from + 0.35);
    oscillator.connect(gain).connect(audio.destination);
    oscillator.start(audio.currentTime + from);
    oscillator.stop(audio.currentTime + from + 0.4);
    return oscillator;
  };
  tone(523, 0);
  tone(784, 0.18).onended = () => void audio.close();
}

/** Tells once that a production's run has ended, where that is wished and the browser allows it. */
export function useRunEnd(activeExports: number, production: string): void {
  const before = useRef(0);
  useEffect(() => {
    const hasEnded = before.current > 0 && activeExports === 0;
    before.current = activeExports;
    if (!hasEnded || !isWished() || !('Notification' in window) || Notification.permission !== 'granted')
      return;
    new Notification(`${production}: the run has ended`, { body: 'Every file was made or says why not.' });
    sound();
  }, [activeExports, production]);
}
