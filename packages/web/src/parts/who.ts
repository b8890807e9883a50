import { useState } from 'react';
import { whoKey } from '../api/who-key.ts';

/** Who sits here, as they signed last: remembered by the browser. */
export function useWho(): [string, (name: string) => void] {
  const [who, setWho] = useState(() => localStorage.getItem(whoKey) ?? '');
  return [
    who,
    (name) => {
      localStorage.setItem(whoKey, name);
      setWho(name);
    },
  ];
}
