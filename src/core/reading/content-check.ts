import { PackClock, SOURCE_PACKET, readNavigationPack, readPack, readScr, type PesReceiver } from '../streams';
import { SECTOR_BYTES } from '../volume';

const NOBODY: PesReceiver = { payload: () => undefined, scrambled: () => undefined };
const SYNC = 0x47;
const SYNC_AT = 4;

/** Tells sectors that hold what belongs there from those that do not: zeroed, overwritten, repeated, from another place. */
export interface ContentCheck {
  /**
   * Looks at a run of whole sectors, in order of the content.
   * @param wrong told of every sector that holds something else.
   */
  look(data: Uint8Array, firstSector: number, wrong: (sector: number) => void): void;
  /** What comes next does not follow what came before. */
  jump(): void;
}

/** Sectors of a DVD's title set: packs that fill them, whose clocks rise, and navigation packs that name the sector they stand at. */
export function packCheck(): ContentCheck {
  const clock = new PackClock();
  let shift: number | null = null;
  let vobId = -1;
  return {
    jump: () => {
      clock.forget();
      vobId = -1;
    },
    look: (data, firstSector, wrong) => {
      clock.forgetNext();
      for (let at = 0; at + SECTOR_BYTES <= data.byteLength; at += SECTOR_BYTES) {
        const sector = firstSector + at / SECTOR_BYTES;
        const navigation = readNavigationPack(data, at);
        if (navigation) {
          shift ??= sector - navigation.sector;
          if (!navigation.agrees || sector - navigation.sector !== shift) wrong(sector);
          // Units of several angles stand between each other, each with a clock of its own.
          if (navigation.vobId !== vobId) clock.forget();
          vobId = navigation.vobId;
          clock.pass(readScr(data, at));
        } else if (clock.isOutOfPlace(data, at, data.byteLength) || readPack(data, at, at + SECTOR_BYTES, NOBODY) !== 'whole')
          wrong(sector);
      }
    },
  };
}

/** Sectors of a clip: source packets that begin where they should. Those that reach over the ends of a run are not looked at. */
export function packetCheck(): ContentCheck {
  return {
    jump: () => undefined,
    look: (data, firstSector, wrong) => {
      const offset = firstSector * SECTOR_BYTES;
      const first = Math.ceil(offset / SOURCE_PACKET) * SOURCE_PACKET - offset;
      let told = -1;
      for (let at = first; at + SOURCE_PACKET <= data.byteLength; at += SOURCE_PACKET) {
        if (data[at + SYNC_AT] === SYNC && ((data[at + SYNC_AT + 1] ?? 0) & 0x80) === 0) continue;
        const sector = firstSector + Math.floor(at / SECTOR_BYTES);
        if (sector !== told) wrong(sector);
        told = sector;
      }
    },
  };
}
