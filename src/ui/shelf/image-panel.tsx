'use client';

import dynamic from 'next/dynamic';
import { useState } from 'react';
import type { DiscImageState, EngineState } from '@/contract';
import { bytes } from '../format';
import { Bar, Panel, StateText } from '../parts/controls';
import { IMAGE_STATE, PASS, imageLine } from '../words-images';

const ImageDialog = dynamic(() => import('./image-detail').then((m) => m.ImageDialog), { loading: () => null });

const ORDER: Readonly<Record<DiscImageState['state'], number>> = { taking: 0, finishing: 0, stopped: 1, 'with gaps': 2, whole: 3 };

function ImageRow({ image, onOpen }: { image: DiscImageState; onOpen: () => void }) {
  const { mark, text } = IMAGE_STATE[image.state];
  return (
    <li className="border-b border-faint last:border-0">
      <button type="button" className="block w-full px-3 py-1.5 text-left hover:bg-wash" onClick={onOpen}>
        <span className="flex items-baseline gap-2">
          <span className="min-w-0 flex-1 truncate font-serif text-[15px]">{image.name}</span>
          <StateText state={image.problem ? 'damaged' : mark}>{text}</StateText>
        </span>
        {image.progress && <Bar label={`Image of ${image.name}`} value={image.sizeBytes > 0 ? image.readBytes / image.sizeBytes : null} />}
        <span className="block truncate text-[12px] text-second">{image.problem?.message ?? imageLine(image)}</span>
        {image.progress && (
          <span className="block truncate text-[12px] text-second">
            {PASS[image.progress.pass]}, {bytes(image.progress.bytesPerSecond)} a second
          </span>
        )}
      </button>
    </li>
  );
}

/** Images of whole discs in the library, those that need something first. */
export function ImagePanel({ engine }: { engine: EngineState }) {
  const [open, setOpen] = useState<string | null>(null);
  const images = [...engine.images].sort((a, b) => ORDER[a.state] - ORDER[b.state] || a.name.localeCompare(b.name));
  const shown = images.find((i) => i.id === open);
  if (images.length === 0) return null;
  return (
    <Panel title="Images in the library" label="Images in the library" className="shrink-0">
      <ul className="max-h-72 overflow-y-auto">
        {images.map((image) => (
          <ImageRow
            key={image.id}
            image={image}
            onOpen={() => {
              setOpen(image.id);
            }}
          />
        ))}
      </ul>
      {shown && (
        <ImageDialog
          image={shown}
          engine={engine}
          onClose={() => {
            setOpen(null);
          }}
        />
      )}
    </Panel>
  );
}
