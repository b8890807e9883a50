import { useEffect, useRef } from 'react';
import { deliveredFrameAt, paintLaidOver, type RenderPlan } from '@mivvy/core';
import { lettersNow } from '../../../letters/letters.ts';

/** What a plan lays over its picture at a frame of the master, as the file will have it. */
export function LaidOver({
  plan,
  frame,
  longest,
}: {
  plan: RenderPlan;
  frame: number;
  /** Longest side on the screen, pixels. */
  longest: number;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const k = longest / Math.max(plan.frame.width, plan.frame.height);
  useEffect(() => {
    const pen = canvas.current?.getContext('2d');
    const shaper = lettersNow();
    const at = deliveredFrameAt(plan, frame);
    if (!pen || !shaper || at === null) return;
    pen.setTransform(1, 0, 0, 1, 0, 0);
    pen.clearRect(0, 0, pen.canvas.width, pen.canvas.height);
    const scale = pen.canvas.width / plan.frame.width;
    pen.scale(scale, scale);
    // Pictures and films of other layers are left out of so small a proof.
    paintLaidOver(pen, plan, at, shaper, () => undefined);
  }, [plan, frame]);
  return (
    <canvas
      ref={canvas}
      width={Math.round(plan.frame.width * k * 2)}
      height={Math.round(plan.frame.height * k * 2)}
      style={{ width: plan.frame.width * k, height: plan.frame.height * k }}
      aria-hidden
    />
  );
}
