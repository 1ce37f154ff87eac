import path from 'node:path';
import { algorithmOf } from '@/core/proof';
import { dublinCore, premis, type PreservationEvent, type PreservedFile } from '@/core/bag';
import { MASTER } from '@/core/recipes';
import type { FixityCheck, Output } from '@/contract';
import { opensslName } from '@/node/hash';
import { sidecarOf } from '@/node/placing';
import { APPLICATION } from '@/node/version';

/** A result that goes into a bag, with what is known of it. */
export interface BaggedOutput {
  readonly output: Output;
  readonly checks: readonly FixityCheck[];
}

/** Media types by extension: IANA's, where there is one. RFC 9559 registers Matroska's. */
const FORMATS: Readonly<Record<string, string>> = {
  '.mkv': 'video/matroska',
  '.mka': 'audio/matroska',
  '.webm': 'video/webm',
  '.mp4': 'video/mp4',
  '.m4a': 'audio/mp4',
  '.mov': 'video/quicktime',
  '.avi': 'video/vnd.avi',
  '.flac': 'audio/flac',
  '.opus': 'audio/ogg',
  '.mp3': 'audio/mpeg',
  '.wav': 'audio/vnd.wave',
  '.srt': 'application/x-subrip',
  '.vtt': 'text/vtt',
  '.json': 'application/json',
};
export const formatOf = (file: string): string => FORMATS[path.extname(file).toLowerCase()] ?? 'application/octet-stream';

/** Where a file of the library stands in a bag. */
export const inBag = (file: string): string => `data/${file.split(path.sep).join('/')}`;

const software = (): { name: string; version: string } => {
  const at = APPLICATION.lastIndexOf(' ');
  return at < 0 ? { name: APPLICATION, version: '' } : { name: APPLICATION.slice(0, at), version: APPLICATION.slice(at + 1) };
};

function eventsOf({ output, checks }: BaggedOutput): PreservationEvent[] {
  const { sidecar } = output;
  const { proof, promise, disc, recipe, copy } = sidecar;
  const files = [inBag(output.path)];
  const [done, of] = [proof.checks.filter((c) => c.passed).length, proof.checks.length];
  const gaps = promise.wholeness?.damage ?? 0;
  const made =
    recipe === MASTER
      ? `The streams of ${disc.label} (${disc.kind}, ${disc.source}) were put into a container, not encoded`
      : `Encoded by the recipe “${copy?.recipe.name ?? recipe}” from a master of ${disc.label}`;
  return [
    {
      id: `${output.id}-creation`,
      type: 'creation',
      at: sidecar.madeAt,
      detail: made,
      outcome: gaps > 0 ? 'warning' : 'success',
      note: gaps > 0 ? `The disc could not be read whole: ${gaps} places` : '',
      files,
    },
    {
      id: `${output.id}-digest`,
      type: 'message digest calculation',
      at: sidecar.madeAt,
      detail: `${algorithmOf(output.sidecar.file.digest)} of the whole file`,
      outcome: 'success',
      note: '',
      files,
    },
    {
      id: `${output.id}-validation`,
      type: 'validation',
      at: sidecar.madeAt,
      detail:
        recipe === MASTER
          ? 'The finished file was read again, and each track compared with the hash of what was read from the disc'
          : 'The finished file was decoded, and compared with what the recipe promises',
      outcome: proof.passed ? 'success' : 'fail',
      note: `${done} of ${of} checks passed${recipe === MASTER ? `; ${proof.identicalTracks} of ${proof.tracks} tracks bit-identical` : ''}`,
      files,
    },
    ...checks.map((check, i): PreservationEvent => ({
      id: `${output.id}-fixity-${i + 1}`,
      type: 'fixity check',
      at: check.at,
      detail: 'Digest and size compared with those of the sidecar',
      outcome: check.result === 'same' ? 'success' : 'fail',
      note: check.result,
      files,
    })),
  ];
}

/** Copies whose master is in the bag too are derived from it. */
const masterOf = (output: Output, all: readonly BaggedOutput[]): string | null => {
  if (output.sidecar.recipe === MASTER) return null;
  const pieces = JSON.stringify(output.sidecar.reel.pieces);
  const master = all.find(
    ({ output: o }) =>
      o.sidecar.recipe === MASTER &&
      o.sidecar.disc.fingerprint === output.sidecar.disc.fingerprint &&
      JSON.stringify(o.sidecar.reel.pieces) === pieces,
  );
  return master ? inBag(master.output.path) : null;
};

/** PREMIS of all results of a bag. */
export const premisOf = (all: readonly BaggedOutput[]): string =>
  premis(
    all.map(({ output }): PreservedFile => ({
      path: inBag(output.path),
      digest: output.sidecar.file.digest,
      bytes: output.sidecar.file.sizeBytes,
      format: formatOf(output.path),
      originalName: output.path,
      madeAt: output.sidecar.madeAt,
      madeFrom: masterOf(output, all),
    })),
    all.flatMap(eventsOf),
    software(),
  );

const each = (values: readonly (string | null | undefined)[]): string[] => [
  ...new Set(values.filter((v): v is string => v !== null && v !== undefined && v !== '')),
];

/** Dublin Core of the bag as a whole. */
export function dublinCoreOf(all: readonly BaggedOutput[], description: string): string {
  const sidecars = all.map((b) => b.output.sidecar);
  const tags = sidecars.map((s) => s.reel.tags);
  return dublinCore({
    title: each(sidecars.map((s) => s.reel.name)),
    description: each([description, ...tags.map((t) => t?.notes)]),
    date: each(tags.map((t) => t?.year)),
    language: each(sidecars.flatMap((s) => s.promise.tracks.filter((t) => t.kind === 'audio').map((t) => t.language))),
    format: each(all.map((b) => formatOf(b.output.path))),
    identifier: each([
      ...tags.map((t) => t?.accession),
      ...sidecars.map((s) => `urn:${opensslName(algorithmOf(s.file.digest))}:${s.file.digest}`),
    ]),
    source: each(sidecars.map((s) => `${s.disc.label}, ${s.disc.kind}, fingerprint ${s.disc.fingerprint}`)),
    relation: each(tags.map((t) => (t && t.series !== '' ? `${t.series}${t.season === null ? '' : `, season ${t.season}`}` : ''))),
  });
}

/** All files of a result, as they stand in the library: itself, its sidecar, and what was made with it. */
export function filesOf({ path: file, sidecar }: Output): { readonly path: string; readonly digest: string | null }[] {
  const folder = path.dirname(file);
  return [
    { path: file, digest: sidecar.file.digest },
    { path: sidecarOf(file), digest: null },
    ...sidecar.beside.map((b) => ({ path: path.join(folder, path.basename(b.name)), digest: b.digest })),
  ];
}
