import { useState } from 'react';
import { useMe } from '../api/people.ts';
import { whoKey } from '../api/who-key.ts';

/** Who sits here: the person who is signed in, else as they signed last, which the browser remembers. */
export function useWho(): [string, (name: string) => void] {
  const [who, setWho] = useState(() => localStorage.getItem(whoKey) ?? '');
  const person = useMe().data?.person;
  return [
    person?.name ?? who,
    (name) => {
      localStorage.setItem(whoKey, name);
      setWho(name);
    },
  ];
}
