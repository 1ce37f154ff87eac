'use client';

import { Disc3, FolderOpen } from 'lucide-react';
import dynamic from 'next/dynamic';
import { useState } from 'react';
import { sourceKey, type DriveState, type EngineState, type FoundSource, type ReadingTask, type SourceRef } from '@/contract';
import { call } from '@/store/api';
import { bytes, plural } from '../format';
import { Bar, Button, Panel, StateText } from '../parts/controls';
import { Select } from '../parts/fields';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';
import { readingText } from '../words';
import { DropZone } from './drop-zone';
import { LibraryStorage } from './library-storage';

const PlaceBrowser = dynamic(() => import('../parts/place-browser').then((m) => m.PlaceBrowser), { loading: () => null });
const lastTask = (tasks: readonly ReadingTask[], ref: SourceRef) => tasks.filter((t) => sourceKey(t.source) === sourceKey(ref)).at(-1);
export const isUnderWay = (task: ReadingTask) => task.state === 'reading' || task.state === 'waiting';
const startReading = (source: SourceRef) => call('startReading', { body: { source, thorough: false } });

/** A reading under way: what it is doing, and the way to stop it. */
export function ReadingProgress({ task }: { task: ReadingTask }) {
  const { done, total } = task.progress;
  return (
    <div className="mt-1.5">
      <div className="mb-1 flex items-center justify-between gap-2 text-second">
        <span>{readingText(task)}</span>
        <Button tone="quiet" className="-my-1" onClick={() => void call('cancelReading', { id: task.id })}>
          Cancel
        </Button>
      </div>
      <Bar value={total > 0 ? done / total : null} label={`Reading ${task.name}`} />
    </div>
  );
}

function DiscSelect({ drive, onInsert }: { drive: DriveState; onInsert: (disc: string) => void }) {
  return (
    <Select
      label={`Insert a disc into ${drive.name}`}
      value=""
      options={[
        { value: '', name: drive.disc ? 'Change disc' : 'Insert a disc' },
        ...drive.discs.map((d) => ({ value: d.id, name: d.label })),
      ]}
      onChange={(disc) => {
        if (disc !== '') onInsert(disc);
      }}
      className="max-w-56"
    />
  );
}

function DriveRow({ drive, tasks }: { drive: DriveState; tasks: readonly ReadingTask[] }) {
  const action = useAction();
  const ref: SourceRef = { kind: 'drive', drive: drive.id };
  const task = lastTask(tasks, ref);
  const reading = task && isUnderWay(task) ? task : null;
  // Laying a disc in starts its reading: that is what it was laid in for.
  const insert = (disc: string) =>
    void action.run(async () => {
      await call('insert', { id: drive.id, body: { disc } });
      await startReading(ref);
    });
  return (
    <li className="border-b border-faint px-3 py-2 last:border-0">
      <div className="flex items-center gap-2">
        <Disc3 size={15} aria-hidden className="text-second" />
        <span className="font-semibold">{drive.name}</span>
        {drive.simulated && <span className="text-third">simulated</span>}
        <span className="ml-auto text-second">{drive.state}</span>
      </div>
      {drive.disc && <p className="mt-0.5 truncate font-serif text-[15px]">{drive.disc}</p>}
      {reading ? (
        <ReadingProgress task={reading} />
      ) : (
        <div className="mt-1.5 flex items-center gap-2">
          <DiscSelect drive={drive} onInsert={insert} />
          {drive.disc && (
            <Button onClick={() => void action.run(() => startReading(ref))} disabled={action.busy}>
              Read
            </Button>
          )}
          {drive.disc && (
            <Button
              tone="quiet"
              onClick={() => void action.run(() => call('eject', { id: drive.id }))}
              disabled={action.busy || drive.state !== 'ready'}
            >
              Eject
            </Button>
          )}
        </div>
      )}
      {action.problem && (
        <div className="mt-2">
          <ProblemNote problem={action.problem} onClose={action.clear} />
        </div>
      )}
      {!reading && task?.state === 'failed' && task.problem && (
        <div className="mt-2">
          <ProblemNote problem={task.problem} />
        </div>
      )}
      {!reading && task?.state === 'cancelled' && <p className="mt-1 text-second">Reading was cancelled.</p>}
    </li>
  );
}

function SourceRow({ source, tasks, known }: { source: FoundSource; tasks: readonly ReadingTask[]; known: boolean }) {
  const action = useAction();
  const ref: SourceRef = { kind: 'place', root: source.root, path: source.path };
  const task = lastTask(tasks, ref);
  const reading = task && isUnderWay(task) ? task : null;
  return (
    <li className="border-b border-faint px-3 py-1.5 last:border-0">
      <div className="flex items-center gap-2">
        <span className="min-w-0 flex-1 truncate" title={source.path}>
          {source.name}
        </span>
        <span className="text-third">{source.sizeBytes === null ? 'folder' : bytes(source.sizeBytes)}</span>
        {!reading && (
          <Button
            tone={known ? 'quiet' : 'plain'}
            className="-my-0.5"
            onClick={() => void action.run(() => startReading(ref))}
            disabled={action.busy}
            aria-label={`Read ${source.name}`}
          >
            {known ? 'Read again' : 'Read'}
          </Button>
        )}
      </div>
      {reading && <ReadingProgress task={reading} />}
      {task?.state === 'failed' && task.problem && (
        <div className="my-1">
          <ProblemNote problem={task.problem} />
        </div>
      )}
      {task?.state === 'cancelled' && <p className="text-second">Reading was cancelled.</p>}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </li>
  );
}

/** Reads all discs of a place that are not on the shelf yet, one after the other, in the background. */
function ScanBar({ root, engine, known }: { root: EngineState['roots'][number]; engine: EngineState; known: ReadonlySet<string> }) {
  const action = useAction();
  const [none, setNone] = useState(false);
  const own = engine.readings.filter((t) => t.source.kind === 'place' && t.source.root === root.id);
  const open = own.filter(isUnderWay);
  const prefix = `{"kind":"place","root":"${root.id}","path":`;
  const except = [...known].filter((k) => k.startsWith(prefix)).map((k) => (JSON.parse(k) as { path: string }).path);
  if (open.length > 1)
    return (
      <div className="border-b border-faint px-3 py-2">
        <div className="mb-1 flex items-center justify-between text-second">
          <span>{plural(open.length, 'disc')} to read</span>
          <Button
            tone="quiet"
            className="-my-1"
            onClick={() => {
              for (const task of [...open].reverse()) void call('cancelReading', { id: task.id });
            }}
          >
            Stop
          </Button>
        </div>
        <Bar value={(own.length - open.length) / own.length} label={`Reading all of ${root.name}`} />
      </div>
    );
  return (
    <div className="flex items-center gap-2 border-b border-faint px-3 py-1.5">
      <Button
        disabled={action.busy}
        onClick={() =>
          void action.run(async () => {
            const { started } = await call('scan', { body: { root: root.id, except } });
            setNone(started === 0);
          })
        }
      >
        Read all that are new
      </Button>
      <span className="text-second">{none ? 'nothing new' : 'also in the folders below'}</span>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </div>
  );
}

/** Where discs come from: drives, watched folders, and any other folder that is configured. */
export function Trays({ engine, knownSources }: { engine: EngineState; knownSources: ReadonlySet<string> }) {
  const [browsing, setBrowsing] = useState<string | null>(null);
  return (
    <div className="flex min-h-0 flex-col gap-3 overflow-y-auto">
      {engine.drives.length > 0 && (
        <Panel title="Trays" label="Trays" className="shrink-0">
          <ul>
            {engine.drives.map((d) => (
              <DriveRow key={d.id} drive={d} tasks={engine.readings} />
            ))}
          </ul>
        </Panel>
      )}
      {engine.roots.map((root) => (
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
                    known={knownSources.has(sourceKey({ kind: 'place', root: f.root, path: f.path }))}
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
