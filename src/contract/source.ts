import { z } from 'zod';
import { IdSchema as id } from './id';

/** Where a disc can be read, as pages say it: a drive, or what lies in a configured place. */
export const SourceRefSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('place'), root: id, path: z.string().max(4096) }),
  z.object({ kind: z.literal('drive'), drive: id }),
]);
export type SourceRef = z.infer<typeof SourceRefSchema>;
/** The same for the same source, whatever the order of its fields. */
export const sourceKey = (ref: SourceRef): string => (ref.kind === 'drive' ? `drive ${ref.drive}` : `place ${ref.root} ${ref.path}`);
