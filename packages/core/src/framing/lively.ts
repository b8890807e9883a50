/**
 * How lively a following window may be: the limits that one control, from calm 0 to lively 1, stands for. Speeds are in
 * frame widths (heights for up and down) a second.
 */
export interface LivelyLimits {
  maxSpeed: number;
  maxAcceleration: number;
}

const calm: LivelyLimits = { maxSpeed: 0.3, maxAcceleration: 0.5 };
const lively: LivelyLimits = { maxSpeed: 4, maxAcceleration: 12 };

/** Between its ends the control works in proportion: each step makes the window as many times faster as the one before. */
export function livelyLimits(control: number): LivelyLimits {
  const between = (a: number, b: number) => a * (b / a) ** Math.max(0, Math.min(1, control));
  return {
    maxSpeed: between(calm.maxSpeed, lively.maxSpeed),
    maxAcceleration: between(calm.maxAcceleration, lively.maxAcceleration),
  };
}

/** Where the control stands while nobody has set it. */
export const usualLively = 0.55;

/** The limits in words, with their numbers. */
export function livelyWords(control: number): string {
  const { maxSpeed, maxAcceleration } = livelyLimits(control);
  return `at most ${maxSpeed.toFixed(2)} frame widths a second, changing by at most ${maxAcceleration.toFixed(1)} a second`;
}
