import { SECTOR_BYTES } from '../volume';
import { readScr } from './program-stream';

/** What a navigation pack says of its VOBU, as far as it is used here. */
export interface NavigationPack {
  /**
   * Presentation times of the first picture and of the end of the last, 90 kHz. DVD-Video: VOBU_S_PTM, VOBU_E_PTM. They are stored
   * with 32 bits, the clock they count has 33: the missing one comes from the pack's own clock reference, which is near.
   */
  readonly startPts90k: number;
  readonly endPts90k: number;
  /** Sectors from this pack to the last of the VOBU. DVD-Video: VOBU_EA. */
  readonly lastSectorOffset: number;
  readonly vobId: number;
  readonly cellId: number;
  /** Where the pack itself says that it stands, sectors from the start of its title set's content. DVD-Video: NV_PCK_LBN. */
  readonly sector: number;
  /** The clock reference that it repeats from its own head agrees with that head. */
  readonly agrees: boolean;
}

const HALF_WRAP = 2 ** 31;
const WRAP = 2 ** 32;

/** A 32-bit stamp on the 33-bit clock: the one of its values that is nearest to a time of that clock. */
function onClock(stamp: number, clock90k: number): number {
  const low = clock90k % WRAP;
  const high = clock90k - low;
  const delta = stamp - low;
  const near = delta > HALF_WRAP ? high - WRAP + stamp : delta < -HALF_WRAP ? high + WRAP + stamp : high + stamp;
  return ((near % (2 * WRAP)) + 2 * WRAP) % (2 * WRAP);
}

/** Where PCI and DSI data stand in the sector: both packets have fixed places. DVD-Video: NV_PCK. */
const PCI_AT = 45;
const DSI_AT = 1031;
const PCI_START_CODE_AT = 38;
const DSI_START_CODE_AT = 1024;
const BUTTON_BYTES = 18;
const MAX_BUTTONS = 36;

const isPrivate2 = (d: Uint8Array, at: number) => d[at] === 0 && d[at + 1] === 0 && d[at + 2] === 1 && d[at + 3] === 0xbf;

/** @returns the pack's contents, or null where the sector at `at` is no navigation pack. */
export function readNavigationPack(data: Uint8Array, at: number): NavigationPack | null {
  if (at + SECTOR_BYTES > data.byteLength) return null;
  if (!isPrivate2(data, at + PCI_START_CODE_AT) || !isPrivate2(data, at + DSI_START_CODE_AT)) return null;
  const u32 = (p: number) =>
    (data[p] as number) * 2 ** 24 + (((data[p + 1] as number) << 16) | ((data[p + 2] as number) << 8) | (data[p + 3] as number));
  const dsi = at + DSI_AT;
  const scr = readScr(data, at);
  return {
    startPts90k: onClock(u32(at + PCI_AT + 12), scr),
    endPts90k: onClock(u32(at + PCI_AT + 16), scr),
    sector: u32(dsi + 4),
    agrees: u32(dsi) === scr % WRAP && u32(at + PCI_AT) === u32(dsi + 4),
    lastSectorOffset: u32(dsi + 8),
    vobId: ((data[dsi + 24] as number) << 8) | (data[dsi + 25] as number),
    cellId: data[dsi + 27] as number,
  };
}

/** Buttons of the highlight information in a navigation pack. */
export interface MenuButtons {
  /** Commands of the buttons, in order from 1. */
  readonly commands: readonly Uint8Array[];
  /** Button selected by force when the menu opens, from 1; 0 where the viewer's last choice stays. */
  readonly selected: number;
}

/** DVD-Video: HLI in the PCI. @returns null where the pack shows no buttons. */
export function readMenuButtons(data: Uint8Array, at: number): MenuButtons | null {
  if (!readNavigationPack(data, at)) return null;
  const hli = at + PCI_AT + 96;
  const status = (((data[hli] as number) << 8) | (data[hli + 1] as number)) & 3;
  const count = Math.min((data[hli + 17] as number) & 0x3f, MAX_BUTTONS);
  if (status === 0 || count === 0) return null;
  const commands = Array.from({ length: count }, (_, i) => {
    const from = hli + 46 + i * BUTTON_BYTES + 10;
    return data.slice(from, from + 8);
  });
  return { commands, selected: (data[hli + 20] as number) & 0x3f };
}
