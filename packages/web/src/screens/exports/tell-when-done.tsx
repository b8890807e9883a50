import { useState } from 'react';
import { useTellWish } from '../../parts/run-end.ts';

/** Asks to be told by the desktop, and by a tone, when the run has ended. */
export function TellWhenDone() {
  const [wished, wish] = useTellWish();
  const [refused, setRefused] = useState(false);
  if (!('Notification' in window)) return null;
  const toggle = async () => {
    const answer = wished ? 'denied' : await Notification.requestPermission();
    wish(answer === 'granted');
    setRefused(!wished && answer !== 'granted');
  };
  return (
    <>
      {' · '}
      <button className="fix" aria-pressed={wished} onClick={() => void toggle()}>
        {wished ? 'Do not tell me when it is done' : 'Tell me when it is done'}
      </button>
      {refused && ' (The browser does not allow it for this page.)'}
    </>
  );
}
