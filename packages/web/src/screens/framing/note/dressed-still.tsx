import { useEffect, useRef } from 'react';
import { deliveredFrameAt, layoutAt, type RenderPlan } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { lettersNow } from '../../../letters/letters.ts';
import { onPicture } from '../../../letters/pictures.ts';
import { paintLayout, paintOver } from '../../../play/paint-version.ts';

/** Pixels of the canvas to one of the screen. */
const fine = 2;

/** One picture of a film as a plan shows it, from its still, with what is laid over it: as the file will have it. */
export function DressedStill({
  master,
  plan,
  frame,
  label,
  longest,
}: {
  /** That the plan is drawn from. */
  master: Master;
  plan: RenderPlan;
  /** Of the master. */
  frame: number;
  label: string;
  /** Longest side on the screen, pixels. */
  longest: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const k = longest / Math.max(plan.frame.width, plan.frame.height);
  const { displayed } = master.facts!.video;
  const address = `/api/masters/${master.id}/stills/${frame}?file=${master.fileGeneration}&size=large`;
  useEffect(() => {
    const pen = canvas.current?.getContext('2d');
    if (!pen) return undefined;
    const image = new Image();
    const draw = () => {
      if (!image.naturalWidth) return;
      const size = { width: image.naturalWidth, height: image.naturalHeight };
      const layout = layoutAt(plan.framing, frame, displayed, plan.frame);
      paintLayout(pen, { image, size, displayed }, layout, plan.frame);
      const shaper = lettersNow();
      const at = deliveredFrameAt(plan, frame);
      if (shaper && at !== null) paintOver(pen, plan, at, shaper);
    };
    image.addEventListener('load', draw);
    image.src = address;
    const forget = onPicture(draw);
    return () => {
      image.removeEventListener('load', draw);
      forget();
    };
  }, [plan, frame, address, displayed]);
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={label}
      width={Math.round(plan.frame.width * k * fine)}
      height={Math.round(plan.frame.height * k * fine)}
      style={{ width: plan.frame.width * k, height: plan.frame.height * k }}
    />
  );
}
