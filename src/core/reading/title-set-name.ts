/** Name of a title set's content. */
export const titleSetName = (titleSet: number): string => `VTS_${String(titleSet).padStart(2, '0')}`;
