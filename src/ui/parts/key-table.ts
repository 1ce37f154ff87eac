/** A key, where it counts and what it does. `bind` is empty for keys that the thing in focus takes itself. */
interface KeyEntry {
  readonly action: string;
  readonly place: 'Everywhere' | 'Bench' | 'Shelf';
  /** As it is written on the sheet. */
  readonly shown: string;
  readonly bind: readonly string[];
  readonly what: string;
}

/** Every key there is: the sheet shows this table, and the pages bind it. */
export const KEYS = [
  { action: 'sheet', place: 'Everywhere', shown: '?', bind: ['?', 'Shift+?'], what: 'this sheet' },
  { action: 'focus', place: 'Everywhere', shown: 'Tab, Shift Tab', bind: [], what: 'to the next thing, to the one before' },
  { action: 'close', place: 'Everywhere', shown: 'Escape', bind: [], what: 'close what is open' },
  { action: 'title', place: 'Bench', shown: '↑ ↓', bind: [], what: 'another title on the map' },
  { action: 'take', place: 'Bench', shown: 'T', bind: ['t'], what: 'take the title into a reel of its own' },
  { action: 'add', place: 'Bench', shown: 'A', bind: ['a'], what: 'add the title to the selected reel' },
  { action: 'edit', place: 'Bench', shown: 'E', bind: ['e'], what: 'open or close the editor of the selected reel' },
  { action: 'merge', place: 'Bench', shown: 'M', bind: ['m'], what: 'merge the selected reel into the one before' },
  { action: 'compare', place: 'Bench', shown: 'C', bind: ['c'], what: 'compare the title with another, or two of its tracks' },
  { action: 'play', place: 'Bench', shown: 'P', bind: ['p'], what: 'play from the moment looked at' },
  { action: 'divide', place: 'Bench', shown: 'D', bind: ['d'], what: 'divide the selected reel at the moment looked at' },
  { action: 'closer', place: 'Bench', shown: '+', bind: ['+', 'Shift++', '='], what: 'closer to the map' },
  { action: 'farther', place: 'Bench', shown: '−', bind: ['-'], what: 'farther from it' },
  { action: 'whole', place: 'Bench', shown: '0', bind: ['0'], what: 'the whole map' },
  { action: 'left', place: 'Bench', shown: '←', bind: ['ArrowLeft'], what: 'along the map, where it is close' },
  { action: 'right', place: 'Bench', shown: '→', bind: ['ArrowRight'], what: 'along the map the other way' },
  { action: 'queue', place: 'Bench', shown: 'Q', bind: ['q'], what: 'send everything planned to the queue' },
  { action: 'undo', place: 'Bench', shown: 'Ctrl Z', bind: ['$mod+z'], what: 'undo' },
  { action: 'redo', place: 'Bench', shown: 'Ctrl Shift Z', bind: ['$mod+Shift+z'], what: 'do again' },
  { action: 'search', place: 'Shelf', shown: '/', bind: ['/', 'Shift+/'], what: 'search the collection' },
] as const satisfies readonly KeyEntry[];

export type KeyAction = (typeof KEYS)[number]['action'];
