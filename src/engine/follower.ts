import { open, stat } from 'node:fs/promises';
import type { JobEvent } from '@/contract';
import { parseEvent } from '@/node/job-folder';

const READ_BYTES = 256 * 1024;

/** Reads a growing file of events from where it last stopped. Half a line is left for the next time. */
export class EventFollower {
  private rest = Buffer.alloc(0);

  /** @param offset bytes that were taken in before. */
  constructor(
    private readonly file: string,
    private offset = 0,
  ) {}

  /** Bytes of the lines taken in so far. */
  get taken(): number {
    return this.offset - this.rest.byteLength;
  }

  /** Events that have come since. A line that is no event (torn by a power cut) is passed over. */
  async read(): Promise<JobEvent[]> {
    const size = await stat(this.file).then(
      (s) => s.size,
      () => 0,
    );
    if (size <= this.offset) return []; // a journal only grows
    const handle = await open(this.file, 'r').catch(() => null);
    if (!handle) return [];
    const events: JobEvent[] = [];
    try {
      for (;;) {
        const buffer = Buffer.alloc(READ_BYTES);
        const { bytesRead } = await handle.read(buffer, 0, READ_BYTES, this.offset);
        if (bytesRead === 0) break;
        this.offset += bytesRead;
        const data = Buffer.concat([this.rest, buffer.subarray(0, bytesRead)]);
        const end = data.lastIndexOf(10) + 1;
        this.rest = Buffer.from(data.subarray(end));
        for (const line of data.subarray(0, end).toString('utf8').split('\n')) {
          const event = line === '' ? null : parseEvent(line);
          if (event) events.push(event);
        }
      }
    } finally {
      await handle.close();
    }
    return events;
  }
}
