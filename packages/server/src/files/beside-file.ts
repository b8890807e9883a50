/** A small file that goes with a film: its captions, or its cover. */
export interface BesideFile {
  kind: 'captions' | 'cover';
  /** As the film, with its own ending. */
  name: string;
  content: Buffer;
  sha256: string;
}
