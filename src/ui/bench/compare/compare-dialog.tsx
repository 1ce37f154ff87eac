'use client';

import { useState } from 'react';
import type { Title } from '@/core/reading';
import type { DiscRecord } from '@/store/db';
import type { ReadableSource } from '@/store/sources';
import { Modal } from '../../parts/modal';
import { Switch } from '../../parts/switch';
import { CompareTitles } from './compare-titles';
import { CompareTracks } from './compare-tracks';

type What = 'titles' | 'audio' | 'subtitles';

/** A title beside another, or two of its own tracks. */
export function CompareDialog({
  disc,
  title,
  source,
  onClose,
}: {
  disc: DiscRecord;
  title: Title;
  source: ReadableSource | null;
  onClose: () => void;
}) {
  const [what, setWhat] = useState<What>(disc.reading.titles.length > 1 ? 'titles' : 'audio');
  return (
    <Modal wide title={`Title ${title.number} compared`} onClose={onClose}>
      <div className="pb-3">
        <Switch
          label="What is compared"
          value={what}
          options={[
            { value: 'titles', name: 'with another title' },
            { value: 'audio', name: 'two audio tracks' },
            { value: 'subtitles', name: 'two subtitle tracks' },
          ]}
          onChange={setWhat}
        />
      </div>
      {what === 'titles' ? (
        <CompareTitles disc={disc} title={title} source={source} />
      ) : (
        <CompareTracks key={what} kind={what} disc={disc} title={title} source={source} />
      )}
    </Modal>
  );
}
