/** What the commands say while they work: one line on a terminal, rewritten in place; nothing when quiet. */
export class Terminal {
  private readonly live: boolean;
  private last = '';

  constructor(private readonly quiet: boolean) {
    this.live = !quiet && process.stderr.isTTY === true;
  }

  stage(name: string): void {
    if (this.quiet) return;
    if (this.live) this.line(name);
    else process.stderr.write(`${name}\n`);
  }

  /** A sentence that stays. */
  say(text: string): void {
    if (this.quiet) return;
    this.end();
    process.stderr.write(`${text}\n`);
  }

  progress(stage: string, done: number): void {
    if (this.live) this.line(`${stage} ${Math.floor(done * 100)} %`);
    else if (stage !== this.last) this.stage(stage);
    this.last = stage;
  }

  private line(text: string): void {
    process.stderr.write(`\r\x1b[K${text}`);
  }

  end(): void {
    if (this.live) process.stderr.write('\r\x1b[K');
  }
}
