import { performance } from 'node:perf_hooks';

/**
 * Milliseconds on a clock that nobody sets: it begins where the computer's clock stood when the process started, and
 * runs on evenly whatever becomes of that one. Leases and waits are measured by it; what is written down as a date is
 * not.
 */
export const steadyNow = (): number => performance.timeOrigin + performance.now();

/** The date and time that the computer's clock shows, ISO 8601 in UTC: for what is written down. */
export const dateNow = (): string => new Date().toISOString();
