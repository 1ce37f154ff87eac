/** Parts of the editor of a reel. */
export const PARTS = ['Pieces', 'Tracks', 'Chapters', 'Names'] as const;
export type EditorPart = (typeof PARTS)[number];
