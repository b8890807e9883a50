/** The last lines of a machine's log, and where all of them go. */
export class LastLines {
  private readonly lines: string[] = [];
  private length = 0;

  /** @param most characters that are kept */
  constructor(
    private readonly most: number,
    private readonly out: (line: string) => void,
  ) {}

  say(words: string): void {
    const line = `${new Date().toISOString().slice(0, 19).replace('T', ' ')} ${words.slice(0, 400)}`;
    this.out(line);
    this.lines.push(line);
    this.length += line.length + 1;
    while (this.length > this.most) this.length -= this.lines.shift()!.length + 1;
  }

  text(): string {
    return this.lines.join('\n');
  }
}
