import { useGesture } from '@use-gesture/react';
import { useRef, type RefObject } from 'react';
import { clamp, maxZoom, poseAt, snapPose, windowOf, zoomAbout, type Pose, type Size } from '@mivvy/core';

/** One notch of the wheel or one press of a key zooms by this factor. */
export const zoomStep = 1.05;
/** A dragged window is caught by a guide within so many screen pixels. */
const snapReach = 6;

/** A window in the hand: where it is, what it moves in, and how a new place is told. */
export interface Held {
  pose: Pose;
  masterSize: Size;
  /** The frame, or the part of it, that the window fills. */
  part: Size;
  setPose: (pose: Pose) => void;
}

/** The guides that caught the window while it is dragged, fractions of the master. */
export interface Caught {
  x: number | null;
  y: number | null;
}

/**
 * Dragging, wheel and pinch on a picture, turned into poses. `pick` says which window is meant at a place, fractions of
 * the surface; null where there is none. On the master the window is dragged, on the proof the picture behind it.
 */
export function usePictureHand(
  target: RefObject<HTMLElement | null>,
  pick: (fx: number, fy: number) => Held | null,
  surface: 'master' | 'proof',
  onStart: () => void,
  onCaught: (caught: Caught) => void,
) {
  const grip = useRef<{ x: number; y: number; zoom: number; scale: number; fx: number; fy: number } | null>(
    null,
  );
  const pinched = useRef(1);

  const within = (clientX: number, clientY: number) => {
    const box = target.current!.getBoundingClientRect();
    return {
      fx: clamp((clientX - box.left) / box.width, 0, 1),
      fy: clamp((clientY - box.top) / box.height, 0, 1),
      box,
    };
  };
  /** The master point under a place on the surface, fractions of the master. */
  const pointIn = (
    { pose, masterSize: master, part }: Held,
    fx: number,
    fy: number,
    top: number,
    height: number,
  ) => {
    if (surface === 'master') return { u: fx, v: fy };
    const w = windowOf(pose, master, part);
    return {
      u: (w.x + fx * w.width) / master.width,
      v: (w.y + ((fy - top) / height) * w.height) / master.height,
    };
  };
  /** Which part of the proof a window fills, as fractions of its height. */
  const partOf = (held: Held, fy: number, box: DOMRect) => {
    const height =
      surface === 'proof' ? Math.min(1, (held.part.height / held.part.width) * (box.width / box.height)) : 1;
    return { height, top: fy > height && surface === 'proof' ? 1 - height : 0 };
  };

  useGesture(
    {
      onDrag: ({ movement: [mx, my], initial: [ix, iy], first, last, buttons, pinching, cancel }) => {
        // A button let go outside the browser's window ends the drag at the next movement.
        if (pinching || (buttons === 0 && !last)) {
          onCaught({ x: null, y: null });
          return cancel();
        }
        const { fx, fy, box } = within(ix, iy);
        const held = pick(
          grip.current && !first ? grip.current.fx : fx,
          grip.current && !first ? grip.current.fy : fy,
        );
        if (!held) return cancel();
        const { pose, masterSize: master, part, setPose } = held;
        if (first) {
          onStart();
          const window = windowOf(pose, master, part);
          grip.current = {
            x: window.x,
            y: window.y,
            zoom: pose.zoom,
            scale: surface === 'master' ? master.width / box.width : -window.width / box.width,
            fx,
            fy,
          };
        }
        const { x, y, zoom, scale } = grip.current!;
        const snap = snapPose(
          poseAt(x + mx * scale, y + my * scale, zoom, master, part),
          master,
          part,
          snapReach * Math.abs(scale),
        );
        onCaught(last ? { x: null, y: null } : { x: snap.x, y: snap.y });
        setPose(snap.pose);
      },
      onWheel: ({ event, delta: [, dy] }) => {
        event.preventDefault();
        if (dy === 0) return;
        const { fx, fy, box } = within(event.clientX, event.clientY);
        const held = pick(fx, fy);
        if (!held) return;
        const { top, height } = partOf(held, fy, box);
        const { u, v } = pointIn(held, fx, fy, top, height);
        held.setPose(
          zoomAbout(
            held.pose,
            clamp(held.pose.zoom * zoomStep ** (-dy / 100), 1, maxZoom),
            u,
            v,
            held.masterSize,
            held.part,
          ),
        );
      },
      onPinch: ({ movement: [by], first, origin: [ox, oy] }) => {
        const { fx, fy, box } = within(ox, oy);
        const held = pick(fx, fy);
        if (!held) return;
        if (first) pinched.current = held.pose.zoom;
        const { top, height } = partOf(held, fy, box);
        const { u, v } = pointIn(held, fx, fy, top, height);
        held.setPose(
          zoomAbout(held.pose, clamp(pinched.current * by, 1, maxZoom), u, v, held.masterSize, held.part),
        );
      },
    },
    {
      target,
      drag: { filterTaps: true, pointer: { keys: false } },
      wheel: { eventOptions: { passive: false } },
      pinch: { scaleBounds: { min: 1 / maxZoom, max: maxZoom } },
    },
  );
}
