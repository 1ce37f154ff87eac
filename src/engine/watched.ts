/** A place that does not answer is as good as away: a share whose server is gone keeps everybody waiting who asks for it. */
const PATIENCE_MS = 3000;

/**
 * Something outside that is looked at now and then: a folder, a storage. What was seen last is there at once; a look that hangs
 * holds one thread, however many ask, and is waited for only so long.
 */
export class Watched<T> {
  private looking: Promise<T> | null = null;
  private began = 0;

  constructor(
    private readonly examine: () => Promise<T>,
    private readonly away: T,
    private readonly patienceMs = PATIENCE_MS,
  ) {
    this.last = away;
  }

  /** As it was when it was last looked at. */
  last: T;
  /** When that look began, milliseconds of the clock. */
  lookedAt = 0;

  /** Looks now. @returns what is there, or that it is away, where it fails or does not answer in time. */
  async look(): Promise<T> {
    if (!this.looking) {
      this.began = Date.now();
      this.looking = this.examine()
        .catch(() => this.away)
        .finally(() => {
          this.looking = null;
        });
    }
    let timer: ReturnType<typeof setTimeout> | undefined;
    const patience = new Promise<T>((resolve) => {
      timer = setTimeout(() => {
        resolve(this.away);
      }, this.patienceMs);
    });
    this.last = await Promise.race([this.looking, patience]);
    clearTimeout(timer);
    this.lookedAt = this.began;
    return this.last;
  }
}
