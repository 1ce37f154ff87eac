import type { UnitBuffer } from './escaping';
import { writePictureSet, type PictureSet } from './parameter-sets';
import type { SetNumbers } from './write-slice';

/** Contents that stand beside each other: codes of 9 bits are 16, two for each. */
const CONTENTS = 8;

interface Held extends SetNumbers {
  readonly set: PictureSet;
  readonly place: number;
  readonly written: Set<number>;
  usedAt: number;
}

/** Picture sets of both views under numbers of their own, by what they say: both views may have used the same numbers. */
export class PictureSets {
  private readonly held = new Map<string, Held>();
  private clock = 0;

  /** Another sequence begins: sets are written again. */
  restart(): void {
    for (const held of this.held.values()) held.written.clear();
  }

  /** The numbers of a set. Where more contents come than there is room for, the one that was used longest ago gives way. */
  of(set: PictureSet): SetNumbers {
    let held = this.held.get(set.content);
    if (!held) {
      let place = this.held.size;
      if (place >= CONTENTS) {
        const oldest = [...this.held.values()].reduce((a, b) => (a.usedAt <= b.usedAt ? a : b));
        this.held.delete(oldest.set.content);
        place = oldest.place;
      }
      // Codes of 9, 11, 13 and 15 bits begin at 15, 31, 63 and 127.
      const of = (length: number, redundant: boolean) => 2 ** (length + 4) - 1 + place * 2 + (redundant ? 1 : 0);
      held = { set, place, written: new Set(), usedAt: 0, of };
      this.held.set(set.content, held);
    }
    held.usedAt = ++this.clock;
    return held;
  }

  /** Writes a set where it does not stand yet. */
  write(to: UnitBuffer, set: PictureSet, length: number, redundant: boolean): void {
    const held = this.held.get(set.content);
    const id = held?.of(length, redundant) ?? 0;
    if (!held || held.written.has(id)) return;
    held.written.add(id);
    const at = to.begin();
    to.escape(writePictureSet(set, id, redundant));
    to.end(at);
  }
}
