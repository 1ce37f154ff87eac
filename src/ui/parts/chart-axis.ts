/** How the axes of all charts look. */
export const AXIS = { stroke: 'var(--line)', tick: { fill: 'var(--second)', fontSize: 12 } };
