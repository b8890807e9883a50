import { bytesLabel, durationLabel } from '@mivvy/core';
import type { VersionForecast } from '@mivvy/api';

/** A file's expected size and the time that making it takes, in words: what is not known is not said. */
export function forecastWords({ bytes, seconds, bitsPerPixel }: VersionForecast): string {
  const size = bytes
    ? `about ${bytesLabel(bytes.expected)} (${bytesLabel(bytes.least)} to ${bytesLabel(bytes.most)})`
    : 'size not known before the first of its kind';
  const bits = bitsPerPixel === null ? [] : [`${bitsPerPixel.toFixed(3)} bits a pixel`];
  const time = seconds === null ? [] : [`about ${durationLabel(Math.max(1, Math.round(seconds)))} to make`];
  return [size, ...bits, ...time].join(', ');
}
