import { TransportDemux, SOURCE_PACKET } from '../../streams';
import type { CompanionUnits } from '../framers/companion-units';
import { PACKETS, ReadAhead } from './read-ahead';
import type { OpenContent } from './walk';

/** The second view of a title, which stands in clips of its own beside the first. */
export class SecondView {
  private readonly demux: TransportDemux;
  private reader: ReadAhead | null = null;

  constructor(
    private readonly units: CompanionUnits,
    pid: number,
    private readonly openContent: OpenContent,
    scrambled: () => void,
  ) {
    this.demux = new TransportDemux({
      transport: (_pid, data, from, to, pts, _dts, starts) => {
        units.append(data, from, to, pts, starts);
      },
      scrambled,
    });
    this.demux.want(pid);
  }

  /** A stretch begins. @param clip that of the view; null where there is none beside this stretch. */
  async begin(clip: string | null): Promise<void> {
    this.demux.restart();
    await this.reader?.stop();
    this.reader = null;
    if (clip === null) return;
    const source = await this.openContent(clip);
    this.reader = new ReadAhead(source, PACKETS, 0, Math.floor(source.sizeBytes / SOURCE_PACKET));
  }

  /** Reads as far as the first view has come. @param dts90k of its latest picture; infinity for all there is. */
  async readTo(dts90k: number): Promise<void> {
    while (this.reader && this.units.latest90k <= dts90k) {
      const chunk = await this.reader.next();
      if (!chunk) return;
      this.demux.feed(chunk, 0, chunk.byteLength);
    }
  }
}
