import { isDamage } from '../../bytes';
import { SECTOR_BYTES } from '../../volume';
import type { CellSegment } from '../model';
import { probeStreams, type StreamProbe } from './probe';
import type { TitleSetContent } from './title-set-files';
import type { ReadSet } from './title-sets';

/** Sectors looked at for headers: a unit, in which every stream shows itself; for scrambling flags, per place. */
const PROBE_SECTORS = 160;
const SAMPLE_SECTORS = 8;
const SAMPLE_PLACES = [0.08, 0.5, 0.9] as const;

/** Remembers what was looked at, so that titles that share content are looked at once. */
export class StreamLooks {
  private readonly probes = new Map<string, StreamProbe | null>();
  private readonly samples = new Map<string, boolean>();
  private readonly ends = new Map<string, Promise<boolean>>();

  async headers(read: ReadSet, segment: CellSegment): Promise<StreamProbe | null> {
    const key = `${segment.titleSet}/${segment.vobId}`;
    const setKey = `${segment.titleSet}/`;
    const known = this.probes.get(key) ?? (this.probes.size > 24 ? this.probes.get(setKey) : undefined);
    if (known !== undefined) return known;
    const sectors = segment.lastSector - segment.firstSector + 1;
    // Also where all that the tables name has shown itself: what they do not name may stand behind it.
    const probe = await this.look(read, segment.firstSector, Math.min(PROBE_SECTORS, sectors));
    this.probes.set(key, probe);
    if (!this.probes.has(setKey)) this.probes.set(setKey, probe);
    return probe;
  }

  async scrambled(read: ReadSet, segment: CellSegment): Promise<boolean> {
    const known = this.samples.get(segment.id);
    if (known !== undefined) return known;
    const looks = await Promise.all(
      SAMPLE_PLACES.map((place) =>
        this.look(read, segment.firstSector + Math.floor((segment.lastSector - segment.firstSector) * place), SAMPLE_SECTORS),
      ),
    );
    const found = looks.some((probe) => (probe?.scrambledPackets ?? 0) > 0);
    this.samples.set(segment.id, found);
    return found;
  }

  /** Can the last byte of this sector of the title set be read? A file system may promise more than the image has. */
  reaches(content: TitleSetContent, sector: number): Promise<boolean> {
    const key = `${content.source.name} ${sector}`;
    let known = this.ends.get(key);
    if (!known) {
      const sectors = Math.floor(content.source.sizeBytes / SECTOR_BYTES);
      const last = content.source.read(sector * SECTOR_BYTES + SECTOR_BYTES - 1, new Uint8Array(1));
      // A scratch is no end: what can not be read now is met again, and said, when the title is taken.
      known =
        sector < sectors
          ? last.then(
              (got) => got === 1,
              () => true,
            )
          : Promise.resolve(false);
      this.ends.set(key, known);
    }
    return known;
  }

  private async look(read: ReadSet, sector: number, sectors: number): Promise<StreamProbe | null> {
    if (!read.content) return null;
    try {
      return await probeStreams(read.content.source, sector, sectors);
    } catch (error) {
      if (!isDamage(error)) throw error;
      return null; // a scratch here is met again, and said, when the title is taken
    }
  }
}
