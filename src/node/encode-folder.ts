import { existsSync, symlinkSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { BESIDE, allSteps, chapterText, filesOf, type BesideName, type EncodePlan } from '@/core/recipes';
import { WorkError } from '@/contract';
import { withClipFolder } from './clips';

/** What goes along with an encode and is no stream of its source. */
export interface BesideEncode {
  /** The file that is encoded. */
  readonly source: string;
  readonly chapters?: readonly { readonly startMs: number; readonly name: string }[];
  readonly durationMs?: number;
  /** JPEG as a data address. */
  readonly cover?: string | null;
}

/** Where the weights of thorough deinterlacing stand: they come with no package of Debian, so whoever has them says where. */
export const weightsFile = (): string | null => {
  const file = process.env['CAREFUL_VAULT_NNEDI_WEIGHTS'] ?? '';
  return file !== '' && existsSync(file) ? path.resolve(file) : null;
};

const bytesOf = (address: string): Buffer => Buffer.from(address.slice(address.indexOf(',') + 1), 'base64');

function put(folder: string, name: BesideName, plan: EncodePlan, beside: BesideEncode): void {
  const file = path.join(folder, BESIDE[name]);
  const mark = allSteps(plan).find((s) => s.kind === 'mark')?.mark;
  switch (name) {
    case 'source':
      symlinkSync(path.resolve(beside.source), file);
      return;
    case 'text':
      if (mark?.kind === 'text') writeFileSync(file, mark.text);
      return;
    case 'picture':
      if (mark?.kind === 'picture') writeFileSync(file, bytesOf(mark.png));
      return;
    case 'chapters':
      writeFileSync(file, chapterText(beside.chapters ?? [], beside.durationMs ?? 0, plan.slower));
      return;
    case 'cover':
      writeFileSync(file, bytesOf(beside.cover ?? ''));
      return;
    case 'weights': {
      const weights = weightsFile();
      if (!weights) throw new WorkError('encoder-missing', 'The weights of thorough deinterlacing are not on this machine');
      symlinkSync(weights, file);
    }
  }
}

/**
 * Runs work in a folder that has what FFmpeg's filters read for a plan, under names that mean nothing to them; gone when it is over.
 * @param work its folder is undefined where nothing is needed. @throws WorkError `encoder-missing`; what `work` throws.
 */
export function withEncodeFolder<T>(plan: EncodePlan, beside: BesideEncode, work: (folder: string | undefined) => Promise<T>): Promise<T> {
  const names = filesOf(plan);
  if (names.size === 0) return work(undefined);
  return withClipFolder((folder) => {
    for (const name of names) put(folder, name, plan, beside);
    return work(folder);
  });
}
