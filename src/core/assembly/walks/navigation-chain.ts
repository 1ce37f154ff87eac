import type { NavigationPack } from '../../streams';

/** How a navigation pack stands to the one before. */
export type ChainState = 'sound' | 'wrong' | 'elsewhere';

/** Navigation packs name the sector they stand at, and where the next one stands. */
export class NavigationChain {
  /** Where the next one stands, as the last one says; minus one where that is not known. */
  next = -1;
  /** Difference between the sectors that they name and those that they stand at. */
  private shift: { readonly content: string; sectors: number; suspected: number | null } | null = null;

  /**
   * @param free it need not stand where the last one said: units are interleaved, or something is missing between.
   * @returns `elsewhere` for one that does not belong here. Where the next agrees with it, all that follows has moved.
   */
  follow(navigation: NavigationPack, sector: number, content: string, free: boolean): ChainState {
    const sectors = sector - navigation.sector;
    if (this.shift?.content !== content) this.shift = { content, sectors, suspected: null };
    if (sectors !== this.shift.sectors && sectors !== this.shift.suspected) {
      this.shift.suspected = sectors;
      this.next = -1;
      return 'elsewhere';
    }
    const chained = this.next < 0 || sector === this.next || free;
    const sound = navigation.agrees && this.shift.sectors === sectors && chained;
    this.shift.sectors = sectors;
    this.next = navigation.lastSectorOffset > 0 ? sector + navigation.lastSectorOffset + 1 : -1;
    return sound ? 'sound' : 'wrong';
  }
}
