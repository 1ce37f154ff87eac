'use client';

import { FolderOpen } from 'lucide-react';
import dynamic from 'next/dynamic';
import { useState } from 'react';
import { imageRoot, sourceKey, type EngineState, type SourceRef } from '@/contract';
import { Button, Panel, StateText } from '../parts/controls';
import type { DiscRow } from './collection';
import { DriveRow } from './drive-row';
import { DropZone } from './drop-zone';
import { ImagePanel } from './image-panel';
import { LibraryStorage } from './library-storage';
import { startReading } from './readings';
import { MakingNote } from './making-note';
import { ScanBar } from './scan-bar';
import { SourceRow } from './source-row';
import { StandingBar } from './standing-bar';

const PlaceBrowser = dynamic(() => import('../parts/place-browser').then((m) => m.PlaceBrowser), { loading: () => null });

/** Where discs come from: drives, watched folders, and any other folder that is configured. */
export function Trays({
  engine,
  knownSources,
  rows,
}: {
  engine: EngineState;
  knownSources: readonly SourceRef[];
  rows: readonly DiscRow[];
}) {
  const known = new Set(knownSources.map(sourceKey));
  // Images in the library have a list of their own; what was put there without a map is listed like any other.
  const mapped = new Set(engine.images.map((i) => sourceKey({ kind: 'place', root: imageRoot(i.storage), path: `${i.name}.iso` })));
  const isOwn = new Set(engine.storages.map((s) => imageRoot(s.id)));
  const places = engine.roots.filter(
    (root) => !isOwn.has(root.id) || root.found.some((f) => !mapped.has(sourceKey({ kind: 'place', root: f.root, path: f.path }))),
  );
  const [browsing, setBrowsing] = useState<string | null>(null);
  return (
    <div className="flex min-h-0 flex-col gap-3 overflow-y-auto">
      {engine.drives.length > 0 && (
        <Panel title="Trays" label="Trays" className="shrink-0">
          <ul>
            {engine.drives.map((d) => (
              <DriveRow key={d.id} drive={d} tasks={engine.readings} storages={engine.storages} rows={rows} />
            ))}
          </ul>
          <StandingBar engine={engine} />
        </Panel>
      )}
      <ImagePanel engine={engine} />
      {places.map((root) => (
        <Panel
          key={root.id}
          label={root.name}
          className="shrink-0"
          title={root.name}
          aside={
            <Button
              tone="quiet"
              onClick={() => {
                setBrowsing(root.id);
              }}
            >
              <FolderOpen size={14} aria-hidden />
              Choose…
            </Button>
          }
        >
          {root.making && <MakingNote making={root.making} />}
          {root.available && <ScanBar root={root} engine={engine} known={knownSources} />}
          {root.available ? (
            <ul>
              {root.found
                .filter((f) => f.kind !== 'folder')
                .map((f) => (
                  <SourceRow
                    key={f.path}
                    source={f}
                    tasks={engine.readings}
                    known={known.has(sourceKey({ kind: 'place', root: f.root, path: f.path }))}
                  />
                ))}
              {root.found.every((f) => f.kind === 'folder') && (
                <li className="px-3 py-2 text-second">No image and no disc folder here. Copy one in: it shows up by itself.</li>
              )}
            </ul>
          ) : (
            <div className="px-3 py-2">
              <StateText state="eyes">This folder is not there at the moment.</StateText>
            </div>
          )}
        </Panel>
      ))}
      <DropZone />
      <LibraryStorage storages={engine.storages} />
      {browsing !== null && (
        <PlaceBrowser
          title="Choose an image or a disc folder"
          places={engine.roots.filter((r) => r.id === browsing)}
          action="Read"
          empty="Nothing here that could be read."
          onChoose={async (root, path) => {
            await startReading({ kind: 'place', root, path });
          }}
          onClose={() => {
            setBrowsing(null);
          }}
        />
      )}
    </div>
  );
}
