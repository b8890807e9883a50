import Button from '@mui/material/Button';
import { useRef, useState } from 'react';
import { bitrateLabel, durationLabel, effortWords } from '@mivvy/core';
import type { Strip } from '@mivvy/api';
import { Choice } from '../../../parts/choice.tsx';
import { sharpenWords } from '../../../parts/sharpen-choice.tsx';
import { WipedFilms, type WipedFilmsHandle } from '../../../parts/wiped-films.tsx';
import styles from './strip.module.css';

const films = ['drawn', 'first', 'second'] as const;
type Film = (typeof films)[number];

/** A made strip: two of its films over each other at 100 %, and what each way came to. */
export function StripFilms({ strip, onKeep }: { strip: Strip; onKeep: (sharpen: number | null) => void }) {
  const there = films.slice(0, 1 + strip.ways.length);
  const [left, setLeft] = useState<Film>('drawn');
  const [right, setRight] = useState<Film>('first');
  const over = useRef<WipedFilmsHandle>(null);
  const nameOf = (film: Film) => {
    const way = strip.ways[films.indexOf(film) - 1];
    return way ? `${effortWords[way.effort]}, ${sharpenWords(way.sharpen)}` : 'the master as it is drawn';
  };
  const urlOf = (film: Film) => `/api/strips/${strip.id}/${film}`;
  const options = there.map((film) => ({ value: film, name: nameOf(film) }));
  return (
    <>
      <WipedFilms
        key={strip.id}
        ref={over}
        urls={[urlOf(left), urlOf(right)]}
        lineLabel="Where the line stands"
        whole
      />
      <p>
        On the left{' '}
        <Choice label="On the left" value={left} shown={nameOf(left)} options={options} onChange={setLeft} />,
        on the right{' '}
        <Choice
          label="On the right"
          value={right}
          shown={nameOf(right)}
          options={options}
          onChange={setRight}
        />
        .{' '}
        <Button size="small" onClick={() => over.current?.playOrPause()}>
          Play or pause
        </Button>
      </p>
      <ul className={styles.ways}>
        {strip.ways.map((way, i) => (
          <li key={films[i + 1]}>
            {nameOf(films[i + 1]!)}: <b>{bitrateLabel(way.kbps)}</b>, likeness{' '}
            <b>{way.likeness.toFixed(3)}</b> to the drawn picture, made in {durationLabel(way.seconds)}.{' '}
            <button className="fix" onClick={() => onKeep(way.sharpen)}>
              Keep it {sharpenWords(way.sharpen)}
            </button>
          </li>
        ))}
      </ul>
    </>
  );
}
