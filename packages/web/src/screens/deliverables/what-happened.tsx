import { happeningInShort, happeningWords } from '@mivvy/core';
import type { HappeningView } from '@mivvy/api';
import { momentWords } from '../../parts/days.ts';
import styles from './history.module.css';

/**
 * What happened, newest first: when, what, and who did it. Among several deliverables each is named, and what happened
 * to it is said in short.
 */
export function WhatHappened({
  happenings,
  nameOf,
}: {
  happenings: readonly HappeningView[];
  nameOf?: (versionId: string) => string | undefined;
}) {
  if (happenings.length === 0) return <p className="quiet">Nothing is known of it yet.</p>;
  return (
    <ol className={styles.happened}>
      {happenings.map(({ id, at, by, what, versionId }) => {
        const name = versionId === null ? undefined : nameOf?.(versionId);
        return (
          <li key={id}>
            <time className="quiet" dateTime={at}>
              {momentWords(at)}
            </time>
            <span>
              {name ? (
                <>
                  <b>{name}</b>: {happeningInShort(what)}
                </>
              ) : (
                happeningWords(what)
              )}
              {by && <span className="quiet">, {by}</span>}
            </span>
          </li>
        );
      })}
    </ol>
  );
}
