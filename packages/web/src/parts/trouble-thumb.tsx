import { layoutAt } from '@mivvy/core';
import type { Master, Version } from '@mivvy/api';
import { frameOf } from './proof.tsx';
import { useStill } from './stills.ts';

/** A small still of a version at a frame, cut as the version is: for lists, where live pictures would cost too much. */
export function TroubleThumb({
  version,
  master,
  frame,
  width,
}: {
  version: Version;
  master: Master;
  frame: number;
  width: number;
}) {
  const { displayed, frames } = master.facts!.video;
  const size = frameOf(version, master);
  const at = Math.max(0, Math.min(frames - 1, frame));
  const still = useStill(master.id, master.fileGeneration, at);
  const w = layoutAt(version.framing, at, displayed, size).panels[0]!.source;
  const share = (start: number, length: number, whole: number) =>
    whole - length < 0.5 ? 50 : (start / (whole - length)) * 100;
  return (
    <div
      className="thumb"
      style={{
        width,
        aspectRatio: `${size.width} / ${size.height}`,
        backgroundColor: 'var(--well)',
        backgroundImage: still,
        backgroundRepeat: 'no-repeat',
        backgroundSize: `${(displayed.width / w.width) * 100}% ${(displayed.height / w.height) * 100}%`,
        backgroundPosition: `${share(w.x, w.width, displayed.width)}% ${share(w.y, w.height, displayed.height)}%`,
      }}
    />
  );
}
