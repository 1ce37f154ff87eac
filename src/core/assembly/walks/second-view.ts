import { TransportDemux, SOURCE_PACKET, type TransportFault } from '../../streams';
import type { CompanionUnits } from '../framers/companion-units';
import { PACKETS, ReadAhead } from './read-ahead';
import type { OpenContent } from './walk';

/** The second view of a title, which stands in clips of its own beside the first. */
export class SecondView {
  private readonly demux: TransportDemux;
  private reader: ReadAhead | null = null;
  private clip = '';

  constructor(
    private readonly units: CompanionUnits,
    pid: number,
    private readonly openContent: OpenContent,
    scrambled: () => void,
    /** Something of the view is not whole: at a source packet of its clip. */
    private readonly hurt: (kind: TransportFault | 'unreadable', clip: string, packet: number, packets: number) => void,
    /** What can not be read is passed over; else it ends the reading. */
    private readonly around: boolean,
  ) {
    this.demux = new TransportDemux({
      transport: (_pid, data, from, to, pts, _dts, starts) => {
        units.append(data, from, to, pts, starts);
      },
      scrambled,
      fault: (kind, of, packet) => {
        // Where a packet is missing, what follows belongs to no picture until one begins.
        if (kind === 'missing' || kind === 'broken' || of < 0) units.lose();
        this.hurt(kind, this.clip, packet, 1);
      },
    });
    this.demux.want(pid);
  }

  /** A stretch begins. @param clip that of the view; null where there is none beside this stretch. */
  async begin(clip: string | null): Promise<void> {
    this.demux.restart();
    await this.reader?.stop();
    this.reader = null;
    if (clip === null) return;
    this.clip = clip;
    const source = await this.openContent(clip);
    const unreadable = (packet: number, packets: number) => {
      this.units.lose();
      this.hurt('unreadable', clip, packet, packets);
    };
    this.reader = new ReadAhead(source, PACKETS, 0, Math.floor(source.sizeBytes / SOURCE_PACKET), {
      unreadable: this.around ? unreadable : null,
      signal: undefined,
    });
  }

  /** Reads as far as the first view has come. @param dts90k of its latest picture; infinity for all there is. */
  async readTo(dts90k: number): Promise<void> {
    while (this.reader && this.units.latest90k <= dts90k) {
      const chunk = await this.reader.next();
      if (!chunk) return;
      this.demux.feed(chunk, 0, chunk.byteLength, this.reader.record - chunk.byteLength / SOURCE_PACKET);
    }
  }
}
