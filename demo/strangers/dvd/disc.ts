import { concatBytes } from '@/core/bytes';
import { SECTOR } from '../block';
import { writeIso, type FileToWrite } from '../iso';
import { spoil } from '../spoil';
import type { DvdPlan } from './plan';
import { managerFile, setFile, type WrittenSet } from './tables';
import { truthOf, writeVob, type VobTruth } from './vob';

/** A disc, and what is true of it: by set and VOB. */
export interface WrittenDvd {
  readonly image: Uint8Array;
  readonly vobs: readonly (readonly VobTruth[])[];
}

/** Writes a disc. What is true of it is known before its first byte stands. */
export function writeDvd(plan: DvdPlan): WrittenDvd {
  const truths = plan.sets.map((set) => set.vobs.map((vob) => truthOf(vob, set.look)));
  const contents: Uint8Array[] = [];
  const tables = plan.sets.map((set, s) => {
    const parts: Uint8Array[] = [];
    let sectors = 0;
    const vobs = set.vobs.map((vob, v) => {
      const { sectors: own, units } = writeVob(vob, truths[s]?.[v] as VobTruth, set.look, v + 1, sectors);
      const firstSector = sectors;
      sectors += own.length;
      parts.push(...own);
      return { firstSector, units };
    });
    contents.push(concatBytes(parts));
    const written: WrittenSet = { vobs, sectors };
    return setFile(set, written);
  });
  const number = (s: number) => String(s + 1).padStart(2, '0');
  const files = (setAt: readonly number[]): FileToWrite[] => {
    const manager = managerFile(plan, setAt, tables);
    return [
      { name: 'VIDEO_TS.IFO', bytes: manager },
      { name: 'VIDEO_TS.BUP', bytes: manager },
      ...tables.flatMap((table, s) => [
        { name: `VTS_${number(s)}_0.IFO`, bytes: table },
        { name: `VTS_${number(s)}_1.VOB`, bytes: contents[s] as Uint8Array },
        { name: `VTS_${number(s)}_0.BUP`, bytes: table },
      ]),
    ];
  };
  // Sets are addressed from the manager's first sector.
  let at = 0;
  const places: number[] = [];
  for (const { name, bytes } of files([])) {
    if (/^VTS_\d+_0\.IFO$/.test(name)) places.push(at);
    at += Math.ceil(bytes.byteLength / SECTOR);
  }
  const named = files(places).map(({ name, bytes }) => ({ name: `VIDEO_TS/${name}`, bytes }));
  return { image: writeIso(plan.label, spoil(named, plan.spoilt)), vobs: truths };
}
