/** Where a command's lines go: JSON lines for programs, sentences for people. */
export interface Lines {
  print: (line: string) => void;
  tell: (line: string) => void;
}

/** Milliseconds between two lines of progress. */
const progressEvery = 500;

/** Prints progress now and then, and its end. */
export function progressPrinter({ print }: Lines, quiet: boolean, what: object) {
  let last = 0;
  return (stage: string, fraction: number, etaSeconds: number | null) => {
    if (quiet || (Date.now() - last < progressEvery && fraction < 1)) return;
    last = Date.now();
    print(
      JSON.stringify({
        event: 'progress',
        ...what,
        stage,
        fraction: Number(fraction.toFixed(3)),
        etaSeconds,
      }),
    );
  };
}
