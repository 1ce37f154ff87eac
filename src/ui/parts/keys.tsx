'use client';

import { Key } from './controls';
import { Modal } from './modal';

const KEYS: readonly { readonly place: string; readonly keys: readonly (readonly [string, string])[] }[] = [
  {
    place: 'Everywhere',
    keys: [
      ['?', 'this sheet'],
      ['Tab, Shift Tab', 'to the next thing, to the one before'],
      ['Escape', 'close what is open'],
    ],
  },
  {
    place: 'Bench',
    keys: [
      ['↑ ↓', 'another title on the map'],
      ['T', 'take the title into a reel of its own'],
      ['A', 'add the title to the selected reel'],
      ['E', 'edit the selected reel'],
      ['M', 'merge the selected reel into the one before'],
      ['C', 'compare the title with another, or two of its tracks'],
      ['P', 'play from the moment looked at'],
      ['D', 'divide the selected reel at the moment looked at'],
      ['+ −, 0', 'closer, farther, the whole map'],
      ['← →', 'along the map when it is close'],
      ['Q', 'send everything planned to the queue'],
      ['Ctrl Z', 'undo'],
      ['Ctrl Shift Z', 'do again'],
    ],
  },
  { place: 'Shelf', keys: [['/', 'search the collection']] },
];

/** All the keys there are. */
export function Keys({ onClose }: { onClose: () => void }) {
  return (
    <Modal title="Keys" onClose={onClose}>
      {KEYS.map(({ place, keys }) => (
        <section key={place} aria-label={place} className="pb-3">
          <h3 className="smallcaps pb-1">{place}</h3>
          <dl className="grid grid-cols-[130px_minmax(0,1fr)] gap-y-1">
            {keys.map(([key, what]) => (
              <div key={key} className="contents">
                <dt>
                  <Key>{key}</Key>
                </dt>
                <dd>{what}</dd>
              </div>
            ))}
          </dl>
        </section>
      ))}
    </Modal>
  );
}
