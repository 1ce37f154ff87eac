import { z } from 'zod';
import { DiscError, type DiscErrorCode } from '@/core/bytes';

/** What to do, per code that is not the disc's: storage, work, requests. */
const ADVICE = {
  'source-missing':
    'Connect what the disc image or folder stands on, or choose another source of the disc. Jobs that wait for it go on by themselves.',
  'source-refused': 'Make the disc image or folder readable for whoever runs Careful Vault, then retry.',
  'storage-missing': 'Connect the library storage again. Nothing was written in its place; jobs that wait for it go on by themselves.',
  'storage-new': 'On the Shelf, under Library storage, say that this is the library. It is then known again wherever it is mounted.',
  'storage-failing': 'The library’s disk reports errors: check it and its cable, then retry. What stands in the library was not touched.',
  'storage-read-only': 'Make the library folder writable, then retry. Nothing was written.',
  'storage-full': 'Free some space in the library, or choose another storage. Jobs that wait for room go on by themselves.',
  'file-too-large':
    'Choose another storage, a smaller reel or another recipe; or give the disk a file system without this limit. Nothing in the library was touched.',
  'data-full':
    'Free some space where Careful Vault keeps its own data (the place is printed at its start), then send it again. Nothing was taken in.',
  'data-failed': 'Check the disk where Careful Vault keeps its own data (the place is printed at its start), then retry.',
  'work-lost': 'Retry: what is missing is made again. The library was not touched.',
  'order-lost': 'Its reel is still on the Bench: queue it again there, and clear this one. Nothing of it is in the library.',
  'too-new': 'Start the newer version of Careful Vault again to go on with it. Nothing of it was changed.',
  'name-taken': 'Choose another name. The file that is there was not touched.',
  'placed-already': 'Change its recipes only; or queue the reel again from the Bench, under another name.',
  'encoder-failed': 'Look at the log. The master, where one was asked for, is not affected.',
  'encoder-missing': 'Choose another recipe, or install an FFmpeg that has this encoder: under Recipes is said which work here.',
  'master-changed': 'Nothing was put into the library. Prove the master in the Vault, and put back a copy of it that is whole.',
  'image-gaps': 'Go on with the image, from the disc or another copy of it; then make the folder again. Nothing was put into the library.',
  'bad-disc-names': 'Keep the image: it has all of the disc. Nothing was put into the library.',
  'not-whole':
    'Nothing was put into the library. Read another copy or clean the disc, then retry; or take what is there: gaps stay as long as they are, and each is named.',
  'file-changed': 'Nothing was put together. Check the file in the Vault, and put back a copy of it that is whole.',
  'proof-failed': 'The file was not put into the library. Read the disc again, and look at the log.',
  'text-reader-missing': 'Install what is named, or take the subtitles as the pictures that they are.',
  'copy-failed': 'Retry: the copy is made again, from the master that was proven. What else was proven is in the library.',
  'reader-died': 'Try again. If it comes back, look at the source: it holds what no disc holds.',
  'runner-died': 'Retry: it goes on from the last stage that was finished.',
  'bad-request': 'This is a fault of the application: please report it with this message.',
  'not-known': 'It may have been removed. Reload the page.',
  'engine-away': 'The engine is starting again. Jobs go on; this page comes back by itself.',
  'too-busy': 'Close another preview, then play it again.',
  'drive-empty': 'Insert a disc first.',
  'disc-away': 'Put this disc into its drive: the job goes on by itself. Nothing of it was put into the library.',
  'drive-refused': 'Do what is said, log in again where that gave you another group, and start Careful Vault anew. Nothing was read.',
  'drive-busy': 'Close what uses the drive, then try again.',
  'other-archive': 'Reload the page: it then shows the archive that runs at this address now. Nothing was done.',
  refused: 'Open the application at the address it printed when it started.',
  internal: 'Look at the log, and report it with this message.',
} as const;

export type WorkErrorCode = keyof typeof ADVICE;
export type ProblemCode = WorkErrorCode | DiscErrorCode;

/** What a job waits for, as long as it takes: nothing of it fails for that. */
export const WAITED_FOR: ReadonlySet<ProblemCode> = new Set<ProblemCode>([
  'storage-missing',
  'storage-full',
  'source-missing',
  'disc-away',
  'other-disc',
]);

/** An error as it crosses a border: classes are lost there, codes are not. Branch on `code`. */
export const ProblemSchema = z.object({
  code: z.string() as z.ZodType<ProblemCode>,
  message: z.string(),
  whatToDo: z.string(),
  where: z.object({ source: z.string(), byteOffset: z.number(), structure: z.string().optional() }).nullable(),
});
export type Problem = z.infer<typeof ProblemSchema>;

/** Something other than the disc that went wrong. */
export class WorkError extends Error {
  override readonly name = 'WorkError';
  readonly whatToDo: string;
  constructor(
    readonly code: WorkErrorCode,
    message: string,
    options?: ErrorOptions,
  ) {
    super(message, options);
    this.whatToDo = ADVICE[code];
  }
}

/** A problem that was heard of from another process. */
export class ProblemError extends Error {
  override readonly name = 'ProblemError';
  constructor(readonly problem: Problem) {
    super(problem.message);
  }
}

/** Codes of the operating system that mean something to the user. */
const SYSTEM_CODES: Readonly<Record<string, WorkErrorCode>> = {
  ENOSPC: 'storage-full',
  EDQUOT: 'storage-full',
  EFBIG: 'file-too-large',
  EROFS: 'storage-read-only',
  EACCES: 'storage-read-only',
  EPERM: 'storage-read-only',
  ENOENT: 'storage-missing',
  ENOTDIR: 'storage-missing',
  EIO: 'storage-failing',
};

/** What an error says, with names instead of the places on this machine where they stand: those are no business of a page. */
function withoutPaths(error: unknown): string {
  if (!(error instanceof Error)) return String(error);
  return error.message.replace(/'\/([^']*)'/g, (_, place: string) => `“${place.split('/').pop() ?? ''}”`);
}

/** Any error as a problem that can be shown and sent. */
export function toProblem(error: unknown): Problem {
  if (error instanceof DiscError) {
    const { source, byteOffset, structure } = error.where;
    return {
      code: error.code,
      message: error.message,
      whatToDo: error.whatToDo,
      where: { source, byteOffset, ...(structure === undefined ? {} : { structure }) },
    };
  }
  if (error instanceof ProblemError) return error.problem;
  if (error instanceof WorkError) return { code: error.code, message: error.message, whatToDo: error.whatToDo, where: null };
  const code = typeof error === 'object' && error !== null && 'code' in error ? SYSTEM_CODES[String(error.code)] : undefined;
  return toProblem(new WorkError(code ?? 'internal', withoutPaths(error)));
}

/** HTTP status of a problem. */
export function statusOf(problem: Problem): number {
  if (problem.code === 'not-known' || problem.code === 'not-found') return 404;
  if (problem.code === 'name-taken' || problem.code === 'other-archive') return 409;
  if (problem.code === 'refused') return 403;
  if (problem.code === 'engine-away' || problem.code === 'too-busy') return 503;
  if (problem.code === 'internal') return 500;
  return 400;
}
