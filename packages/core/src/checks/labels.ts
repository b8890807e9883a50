/** Bytes for a person, in powers of ten as places state their limits: `18.2 MB`. */
export function bytesLabel(bytes: number): string {
  if (bytes < 1000) return `${bytes} bytes`;
  if (bytes < 1_000_000) return `${Math.round(bytes / 1000)} kB`;
  if (bytes < 1_000_000_000) return `${(bytes / 1_000_000).toFixed(bytes < 100_000_000 ? 1 : 0)} MB`;
  return `${(bytes / 1_000_000_000).toFixed(2)} GB`;
}

/** A bitrate for a person: `3.5 Mbit/s`, `800 kbit/s`. */
export function bitrateLabel(kbps: number): string {
  return kbps >= 1000 ? `${Number((kbps / 1000).toFixed(2))} Mbit/s` : `${Math.round(kbps)} kbit/s`;
}
