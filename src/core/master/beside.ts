import { MatroskaWriter, type Crc32, type MatroskaDescription, type MatroskaFrame, type MatroskaSink } from '../matroska';
import type { MasterPromise } from '../proof/promise';

/** A subtitle track that goes to a file of its own while the result is made: its packets are tiny beside a film's. */
const ROOM_BYTES = 192 * 1024;

/** One subtitle track on its way to a Matroska file beside the result. */
export class BesideWriter {
  private readonly writer: MatroskaWriter;
  private begun = false;

  constructor(
    sink: MatroskaSink,
    /** Index of the track in the result. */
    private readonly track: number,
    crc32?: Crc32,
  ) {
    this.writer = new MatroskaWriter(sink, 1, -1, crc32, ROOM_BYTES);
    this.writer.wantsDuration.add(0);
  }

  /** The result's description with this one track in it. */
  private only(whole: MatroskaDescription): MatroskaDescription {
    return { ...whole, tracks: whole.tracks.slice(this.track, this.track + 1), chapters: [], attachments: [] };
  }

  async begin(whole: MatroskaDescription): Promise<void> {
    this.begun = true;
    await this.writer.begin(this.only(whole));
  }

  async put(frame: MatroskaFrame): Promise<void> {
    this.writer.add({ ...frame, track: 0 });
    if (this.writer.pending) await this.writer.flush();
  }

  async finish(whole: MatroskaDescription): Promise<void> {
    if (!this.begun) await this.begin(whole);
    await this.writer.finish(this.only(whole));
  }
}

/** What the file of one subtitle track must hold: the same as the result does of that track. */
export function besidePromise(whole: MasterPromise, track: number): MasterPromise {
  return { ...whole, frames: 0, chapters: [], tracks: whole.tracks.slice(track, track + 1) };
}
