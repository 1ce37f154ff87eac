import type { ServerResponse } from 'node:http';
import { WorkError } from '@/contract';

/** Players at a time, of discs and of results together: each is an encoder. */
const MOST = 4;
/** One that has taken nothing for so long is paused; it holds its place only until somebody else wants it. */
const PAUSED_MS = 5000;
const LOOK_MS = 1000;

interface Player {
  readonly response: ServerResponse;
  readonly stop: () => void;
  /** Bytes that have gone out, and since when it has been no more. */
  sent: number;
  since: number;
}

/** Who plays something that is encoded on the fly. A page that asks anew after a pause gets a new player: it asks by the moment. */
export class Players {
  private readonly playing = new Set<Player>();
  private timer: ReturnType<typeof setInterval> | null = null;

  constructor(
    private readonly most = MOST,
    private readonly pausedMs = PAUSED_MS,
  ) {}

  /**
   * Takes a place. Where all are taken, the player that has been paused longest loses its own.
   * @param stop ends what is played; called when the page goes away too. @returns gives the place back.
   * @throws WorkError `too-busy` where nobody is paused.
   */
  enter(response: ServerResponse, stop: () => void): () => void {
    this.look();
    if (this.playing.size >= this.most) {
      const [paused] = [...this.playing].filter((p) => Date.now() - p.since >= this.pausedMs).sort((a, b) => a.since - b.since);
      if (!paused) throw new WorkError('too-busy', `${this.most} previews are playing`);
      this.playing.delete(paused);
      paused.stop();
      paused.response.destroy();
    }
    const player: Player = { response, stop, sent: -1, since: Date.now() };
    this.playing.add(player);
    response.on('close', stop);
    this.timer ??= setInterval(() => {
      this.look();
    }, LOOK_MS).unref();
    return () => {
      this.playing.delete(player);
      if (this.playing.size > 0 || !this.timer) return;
      clearInterval(this.timer);
      this.timer = null;
    };
  }

  private look(): void {
    for (const player of this.playing) {
      const sent = player.response.socket?.bytesWritten ?? 0;
      if (sent !== player.sent) Object.assign(player, { sent, since: Date.now() });
    }
  }
}
