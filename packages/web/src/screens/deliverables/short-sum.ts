/** A checksum as a list shows it: enough of it to tell two files apart by eye. */
export const shortSum = (sha256: string): string => `${sha256.slice(0, 4)}…${sha256.slice(-2)}`;
