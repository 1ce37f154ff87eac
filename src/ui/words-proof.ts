import type { Sidecar, VaultEntry } from '@/contract';
import { FAULT_WEIGHTS, lacksLayer } from '@/core/reading/fault';
import { wholeText } from '@/core/reading/fault-text';
import { plural } from './format';

/** What a proof found, in words. */

const damagedPlaces = (proof: Pick<Sidecar['proof'], 'exceptions'>) =>
  proof.exceptions.filter((f) => FAULT_WEIGHTS[f.kind] === 'damage').length;

/** What became of the disc's own account of itself. */
const whole = ({ promise, proof }: Pick<Sidecar, 'promise' | 'proof'>): string =>
  promise.wholeness ? `, ${wholeText(promise.wholeness, proof.exceptions.length)}` : '';

/** How a result stands: proven whole, proven with gaps or without a layer, or not. */
export function proofState({ promise, proof }: Pick<VaultEntry['sidecar'], 'promise' | 'proof'>): 'kept' | 'eyes' | 'damaged' {
  if (!proof.passed) return 'damaged';
  const { wholeness } = promise;
  return wholeness && (wholeness.damage > 0 || lacksLayer(wholeness)) ? 'eyes' : 'kept';
}

/** The same in a few words, for a list. */
export function proofWord(sidecar: Pick<VaultEntry['sidecar'], 'promise' | 'proof' | 'recipe'>): string {
  const { proof, promise } = sidecar;
  if (!proof.passed) return 'did not pass its proof';
  if (!promise.wholeness) return sidecar.recipe === 'master' ? 'as it was read' : 'decodes';
  if (promise.wholeness.damage > 0) return `proven, with gaps in ${plural(damagedPlaces(proof), 'place')}`;
  return lacksLayer(promise.wholeness) ? 'proven, without its enhancement layer' : 'whole and proven';
}

/** "4 of 4 tracks bit-identical to what was read, whole by all that the disc says of itself". */
export function proofText(sidecar: Pick<Sidecar, 'promise' | 'proof' | 'recipe'>): string {
  const { proof } = sidecar;
  if (!proof.passed) return 'did not pass its proof';
  return sidecar.recipe === 'master'
    ? `${proof.identicalTracks} of ${proof.tracks} tracks bit-identical to what was read${whole(sidecar)}`
    : `every frame decodes${whole(sidecar)}`;
}

/** What the proof compared with what, leg by leg. */
export function legsText({ promise, recipe }: Pick<Sidecar, 'promise' | 'recipe'>): readonly string[] {
  const file =
    recipe === 'master'
      ? 'The file holds what was read: payload hashes of every track, counts, times and chapters, read again from the finished file.'
      : 'The file decodes without complaint, and has the pictures, the length, the tracks and the chapters that its recipe makes of what it was made from.';
  const { wholeness } = promise;
  if (!wholeness) return [file, 'Whether the source itself is whole was not looked at.'];
  const { packs, navigationPacks, cells, playItems, entryPoints } = wholeness.witnesses;
  const n = (count: number) => count.toLocaleString('en-GB');
  const witnesses = [
    `${n(packs)} packs`,
    ...(navigationPacks > 0 ? [`${n(navigationPacks)} navigation packs`, `${n(cells)} cells by their table`] : []),
    ...(playItems > 0 ? [`${plural(playItems, 'stretch', 'stretches')} of clips by their playlist`] : []),
    ...(entryPoints > 0 ? [`${n(entryPoints)} entry points`] : []),
  ];
  const read = `What was read is what the disc says there is: ${witnesses.join(', ')}, and the numbers and times of pictures and sound.`;
  const leftOut = promise.tracks.some((track) => track.left.length > 0);
  const left = leftOut ? 'What was left out is listed below, and within its bounds.' : 'Nothing was left out of a track.';
  return [file, wholeness.damage > 0 ? read.replace('is what', 'is, but for the places below, what') : read, left];
}

export const CHECK: Readonly<Record<Sidecar['proof']['checks'][number]['what'], string>> = {
  'track identical': 'payload hash',
  packets: 'frames counted',
  timestamps: 'time stamps in order',
  moments: 'first and last moments',
  index: 'index',
  parts: 'parts of the file as they were',
  'not empty': 'something in it',
  whole: 'the disc’s own account of itself',
  duration: 'duration in ms',
  chapters: 'chapters by time and name',
  checksums: 'checksums of the file’s parts',
  structure: 'structure',
  decodes: 'decodes',
  streams: 'streams',
};
