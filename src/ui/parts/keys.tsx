'use client';

import { Key } from './controls';
import { KEYS } from './key-table';
import { Modal } from './modal';

const PLACES = [...new Set(KEYS.map((k) => k.place))];

/** All the keys there are. */
export function Keys({ onClose }: { onClose: () => void }) {
  return (
    <Modal title="Keys" onClose={onClose}>
      {PLACES.map((place) => (
        <section key={place} aria-label={place} className="pb-3">
          <h3 className="smallcaps pb-1">{place}</h3>
          <dl className="grid grid-cols-[130px_minmax(0,1fr)] gap-y-1">
            {KEYS.filter((k) => k.place === place).map(({ action, shown, what }) => (
              <div key={action} className="contents">
                <dt>
                  <Key>{shown}</Key>
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
