const RealDate = Date;
let shiftMs = 0;

/** A clock that stands some way off the computer's own. */
class ShiftedDate extends RealDate {
  constructor(...parts: unknown[]) {
    super(...((parts.length > 0 ? parts : [ShiftedDate.now()]) as [number]));
  }

  static override now(): number {
    return RealDate.now() + shiftMs;
  }
}

/** Sets the clock of this process so far ahead of the computer's, milliseconds; waits and intervals stay what they are. */
export function setClockAhead(ms: number): void {
  shiftMs = ms;
  globalThis.Date = ShiftedDate as DateConstructor;
}

/** The computer's own clock again. */
export function setClockRight(): void {
  globalThis.Date = RealDate;
}

// A program that is started with this file before it has its clock off from the first moment on.
const ahead = Number(process.env.MIVVY_TEST_CLOCK_AHEAD ?? 0);
if (ahead !== 0) setClockAhead(ahead);
