import type { Title } from '../reading';
import type { Evidence, EvidenceKind } from './model';

export const evidence = (kind: EvidenceKind, points = 0, titles: readonly number[] = [], value: number | null = null): Evidence => ({
  kind,
  points,
  titles,
  value,
});

/** Segments of what a viewer of the first angle sees. */
export const firstAngle = (title: Title): string[] => title.parts.filter((p) => p.angle === null || p.angle === 1).map((p) => p.segment);

/** All of a title's material in its order: the same text is the same material. */
export const partKey = (title: Title): string => title.parts.map((p) => p.segment).join(' ');
