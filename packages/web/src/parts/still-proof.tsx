import { useId } from 'react';
import { layoutAt, type Framing, type Size } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import styles from './still-proof.module.css';

/** One picture of a film as a framing shows it in a frame, from its still: it stands whatever the play head does. */
export function StillProof({
  master,
  framing,
  frame,
  size,
  label,
  longest = 96,
}: {
  master: Master;
  framing: Framing;
  /** Of the master. */
  frame: number;
  size: Size;
  label: string;
  /** Longest side on the screen, pixels. */
  longest?: number;
}) {
  const blur = useId();
  const { displayed } = master.facts!.video;
  const { panels, ground } = layoutAt(framing, frame, displayed, size);
  const large = longest > 120 ? '&size=large' : '';
  const address = `/api/masters/${master.id}/stills/${frame}?file=${master.fileGeneration}${large}`;
  const scale = longest / Math.max(size.width, size.height);
  const part = (
    source: { x: number; y: number; width: number; height: number },
    into: { x: number; y: number; width: number; height: number },
    key: string,
  ) => (
    <svg
      key={key}
      x={into.x}
      y={into.y}
      width={into.width}
      height={into.height}
      viewBox={`${source.x} ${source.y} ${source.width} ${source.height}`}
      preserveAspectRatio="none"
    >
      <image
        href={address}
        width={displayed.width}
        height={displayed.height}
        preserveAspectRatio="none"
        filter={key === 'ground' ? `url(#${blur})` : undefined}
      />
    </svg>
  );
  return (
    <svg
      className={styles.still}
      role="img"
      aria-label={label}
      width={size.width * scale}
      height={size.height * scale}
      viewBox={`0 0 ${size.width} ${size.height}`}
    >
      {ground?.kind === 'colour' && <rect width={size.width} height={size.height} fill={ground.colour} />}
      {ground?.kind === 'soft' && (
        <>
          <filter id={blur}>
            <feGaussianBlur stdDeviation={displayed.width / 60} />
          </filter>
          {part(ground.source, { x: 0, y: 0, ...size }, 'ground')}
        </>
      )}
      {panels.map(({ source, into }, i) => part(source, into, `panel ${i}`))}
    </svg>
  );
}
