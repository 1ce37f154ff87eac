import { lengthedPart, openStructure } from './head';

/** A navigation command: an operation and two operands, each a number or the number of a register. */
export interface NavigationCommand {
  readonly operation: number;
  readonly first: number;
  readonly second: number;
}

export interface MovieObject {
  readonly commands: readonly NavigationCommand[];
}

/**
 * Reads MovieObject.bdmv. Spec: BD-ROM part 3, MovieObject.bdmv and navigation commands (12 bytes each).
 * @throws DiscError `bad-signature`, `ended-early`.
 */
export function parseMovieObjects(data: Uint8Array, source: string): MovieObject[] {
  const { cursor } = openStructure(data, 'MOBJ', source, 'MovieObject.bdmv');
  const objects = lengthedPart(cursor, 40, 'MovieObjects');
  objects.skip(4);
  const count = objects.u16();
  const found: MovieObject[] = [];
  for (let i = 0; i < count; i++) {
    objects.skip(2);
    const commands = objects.u16();
    const table = objects.part(commands * 12, 'navigation commands');
    found.push({
      commands: Array.from({ length: commands }, () => ({ operation: table.u32(), first: table.u32(), second: table.u32() })),
    });
  }
  return found;
}
