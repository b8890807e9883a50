import PQueue from 'p-queue';
import { useEffect, useState } from 'react';

/**
 * Stills on their way at a time. A browser opens six connections to a server; the films and the event stream must never
 * wait behind a row of small pictures that are still being drawn.
 */
const queue = new PQueue({ concurrency: 2 });
const loaded = new Set<string>();

function load(url: string): Promise<void> {
  return new Promise((resolve) => {
    const image = new Image();
    image.onload = () => {
      loaded.add(url);
      resolve();
    };
    // A still that cannot be drawn leaves its place empty; nothing else depends on it.
    image.onerror = () => resolve();
    image.src = url;
  });
}

/** A still as a background image, once it has come; undefined until then. */
export function useStill(masterId: string, fileGeneration: number, frame: number): string | undefined {
  const url = `/api/masters/${masterId}/stills/${frame}?file=${fileGeneration}`;
  const [, shown] = useState<string | null>(null);
  useEffect(() => {
    if (loaded.has(url)) return;
    let here = true;
    // Whoever has gone when its turn comes is passed over.
    void queue
      .add(() => (here && !loaded.has(url) ? load(url) : Promise.resolve()))
      .then(() => here && shown(url));
    return () => {
      here = false;
    };
  }, [url]);
  return loaded.has(url) ? `url(${url})` : undefined;
}
