/** The texts of a bag by RFC 8493, version 1.0: a payload in `data/`, and manifests by which anybody can show that it is whole. */

export const BAG_DECLARATION = 'BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n';

export interface BaggedFile {
  /** Inside the bag, with `/`. */
  readonly path: string;
  /** Hexadecimal. */
  readonly digest: string;
  readonly bytes: number;
}

/** Section 2.1.3: of a path in a manifest, only what would break its line is encoded, and what the encoding itself needs. */
export const manifestPath = (path: string): string => path.replaceAll('%', '%25').replaceAll('\n', '%0A').replaceAll('\r', '%0D');

/** Section 2.1.3 and 2.2.1: for the payload, and in the same form for the other files. */
export const manifest = (files: readonly BaggedFile[]): string =>
  [...files]
    .sort((a, b) => (a.path < b.path ? -1 : 1))
    .map((f) => `${f.digest}  ${manifestPath(f.path)}\n`)
    .join('');

/** Section 2.2.2: octets and files of the payload. */
export const payloadOxum = (files: readonly BaggedFile[]): string => `${files.reduce((sum, f) => sum + f.bytes, 0)}.${files.length}`;

/** Section 2.2.2: a line each. Of values only line ends mean anything: they would begin another label. */
export const bagInfo = (entries: readonly (readonly [label: string, value: string])[]): string =>
  entries
    .filter(([, value]) => value.trim() !== '')
    .map(([label, value]) => `${label}: ${value.replace(/\s*[\r\n]+\s*/g, ' ').trim()}\n`)
    .join('');
