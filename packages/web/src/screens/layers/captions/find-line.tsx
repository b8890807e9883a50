import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { countWords, replaceInCues } from '@mivvy/core';
import styles from '../layers.module.css';
import { useTrack } from './track.ts';

/** Finds words in the captions, and replaces them in all. */
export function FindLine({
  search,
  onSearch,
  found,
}: {
  search: string;
  onSearch: (text: string) => void;
  found: number;
}) {
  const [track, setCues] = useTrack();
  const [replacement, setReplacement] = useState('');
  const { enqueueSnackbar } = useSnackbar();
  const replace = () => {
    const { cues, count } = replaceInCues(track?.cues ?? [], search.trim(), replacement);
    setCues(() => cues);
    enqueueSnackbar(`Replaced ${countWords(count, 'time')}.`);
  };
  return (
    <form
      className={styles.find}
      role="search"
      onSubmit={(event) => {
        event.preventDefault();
        if (search.trim()) replace();
      }}
    >
      <input
        value={search}
        placeholder="Find"
        aria-label="Find in the captions"
        onChange={(event) => onSearch(event.target.value)}
      />
      {search.trim() && (
        <>
          <span className="quiet">{countWords(found, 'cue')}</span>
          <input
            value={replacement}
            placeholder="replace with"
            aria-label="Replace with"
            onChange={(event) => setReplacement(event.target.value)}
          />
          <button className="fix" type="submit" disabled={found === 0}>
            Replace all
          </button>
        </>
      )}
    </form>
  );
}
