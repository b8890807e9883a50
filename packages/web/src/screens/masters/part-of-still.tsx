import type { Master } from '@mivvy/api';
import type { Difference } from '@mivvy/core';

/** So much of the picture around a box is shown with it, of its sides. */
const around = 0.15;
/** The flattest and the tallest that a part is shown, width to height. */
const flattest = 2.4;

/** A part of one of a film's pictures, with a little around it. */
export function PartOfStill({
  master,
  frame,
  box,
  label,
}: {
  master: Master;
  frame: number;
  box: Difference['box'];
  label: string;
}) {
  const { width, height } = master.facts!.video.displayed;
  const wide = box.width * width * (1 + 2 * around);
  const high = Math.max(box.height * height * (1 + 2 * around), wide / flattest);
  const left = (box.x + box.width / 2) * width - wide / 2;
  const top = (box.y + box.height / 2) * height - high / 2;
  return (
    <figure>
      <svg role="img" aria-label={label} viewBox={`${left} ${top} ${wide} ${high}`} width="100%">
        <image
          href={`/api/masters/${master.id}/stills/${frame}?file=${master.fileGeneration}&size=large`}
          width={width}
          height={height}
          preserveAspectRatio="none"
        />
      </svg>
      <figcaption className="quiet">{label}</figcaption>
    </figure>
  );
}
