'use client';

import dynamic from 'next/dynamic';
import Link from 'next/link';
import { useEffect, useState } from 'react';
import {
  DISC_FOLDERS,
  imageRoot,
  sourceKey,
  type CellState,
  type DiscFolderState,
  type DiscImageState,
  type EngineState,
  type ImageDetail,
  type SourceRef,
} from '@/contract';
import { algorithmOf } from '@/core/proof/digest';
import { call } from '@/store/api';
import { bytes, dayTime, plural } from '../format';
import { CheckList } from '../parts/check-list';
import { Bar, Button, StateText } from '../parts/controls';
import { Select } from '../parts/fields';
import { Modal } from '../parts/modal';
import { ProblemNote } from '../parts/problem-note';
import { useAction } from '../parts/use-action';
import { IMAGE_STATE, PASS, imageLine } from '../words-images';
import { MapStrip } from './map-strip';
import { Retries } from './take-image';

const ReadingCurveChart = dynamic(() => import('./reading-curve').then((m) => m.ReadingCurveChart), {
  loading: () => <div className="h-[190px]" />,
});

const NOTHING_KNOWN: readonly CellState[] = ['not tried'];

/**
 * The map and the record of an image, asked for again as it changes. What an image is known by decides, and not whether it was
 * seen at work: three sectors are read between two messages.
 */
function useDetail(image: DiscImageState): ImageDetail | null {
  const [detail, setDetail] = useState<ImageDetail | null>(null);
  const { id, state, readBytes, lostBytes, copies } = image;
  const isAtWork = state === 'taking' || state === 'finishing';
  const known = isAtWork ? 'at work' : [state, readBytes, lostBytes, copies].join();
  useEffect(() => {
    let isOpen = true;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const ask = async () => {
      const found = await call('image', { id }).catch(() => null); // not there yet, or being given its name
      if (!isOpen) return;
      if (found) setDetail(found);
      if (isAtWork || !found) timer = setTimeout(() => void ask(), 2000);
    };
    void ask();
    return () => {
      isOpen = false;
      clearTimeout(timer);
    };
  }, [id, isAtWork, known]);
  return detail;
}

/** Discs that an image can be gone on with: what lies in a drive, and images that are as large. */
function copiesFor(image: DiscImageState, engine: EngineState): { readonly ref: SourceRef; readonly name: string }[] {
  const own = sourceKey({ kind: 'place', root: imageRoot(image.storage), path: `${image.name}.iso` });
  return [
    ...engine.drives.flatMap((d) =>
      d.disc && d.state === 'ready' ? [{ ref: { kind: 'drive' as const, drive: d.id }, name: `${d.disc}, in ${d.name}` }] : [],
    ),
    ...engine.roots.flatMap((root) =>
      root.found
        .filter((f) => f.kind === 'image' && f.sizeBytes === image.sizeBytes)
        .map((f) => ({ ref: { kind: 'place' as const, root: f.root, path: f.path }, name: `${f.name}, in ${root.name}` })),
    ),
  ].filter(({ ref }) => sourceKey(ref) !== own);
}

function GoOn({ image, engine }: { image: DiscImageState; engine: EngineState }) {
  const copies = copiesFor(image, engine);
  const [chosen, setChosen] = useState('');
  const [retries, setRetries] = useState(2);
  const action = useAction();
  const copy = copies.find((c) => sourceKey(c.ref) === chosen) ?? copies[0];
  if (!copy) return <p className="text-second">Lay the disc, or another copy of it, into a drive to go on.</p>;
  return (
    <section aria-label="Go on" className="rounded-[6px] border border-faint px-3 py-2">
      <div className="flex items-center gap-2 pb-1">
        <span className="text-second">Go on with</span>
        <Select
          label="The disc, or another copy of it"
          value={sourceKey(copy.ref)}
          options={copies.map((c) => ({ value: sourceKey(c.ref), name: c.name }))}
          onChange={setChosen}
          className="min-w-0 flex-1"
        />
        <Button
          tone="main"
          busy={action.busy}
          onClick={() => void action.run(() => call('goOnImage', { id: image.id, body: { source: copy.ref, retries } }))}
        >
          Go on
        </Button>
      </div>
      <Retries value={retries} onChange={setRetries} />
      <p className="text-[12px] text-third">
        Only what is not read yet is read. A disc is compared first with what was read: one of another pressing changes nothing.
      </p>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </section>
  );
}

function Sources({ detail: { record } }: { detail: ImageDetail }) {
  const read = record.sources.filter((s) => s.bytes > 0);
  if (read.length === 0) return null;
  return (
    <table className="w-full">
      <thead className="text-left text-[12px] text-second">
        <tr>
          <th className="py-1 font-normal">Read from</th>
          <th className="font-normal">begun</th>
          <th className="text-right font-normal">bytes</th>
          <th className="text-right font-normal">places filled</th>
        </tr>
      </thead>
      <tbody>
        {read.map((s) => (
          <tr key={s.begunAt} className="border-t border-faint">
            <td className="truncate py-1">{s.name}</td>
            <td>{dayTime(s.begunAt)}</td>
            <td className="text-right tabular-nums">{bytes(s.bytes)}</td>
            <td className="text-right tabular-nums">{s.joined.length > 0 ? s.joined.length : '–'}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What becomes of the folder that is made of it. */
function FolderLine({ folder }: { folder: DiscFolderState }) {
  const action = useAction();
  if (folder.problem) return <ProblemNote problem={folder.problem} />;
  if (folder.state === 'stopped') return <p className="text-second">No disc folder was made: that was stopped.</p>;
  if (folder.state === 'done')
    return (
      <StateText state="kept">
        {plural(folder.files, 'file')} in “{DISC_FOLDERS} / {folder.name}”, each read back; their SHA-256 stand beside the folder.
      </StateText>
    );
  return (
    <div className="flex items-center gap-3">
      <span className="w-48">
        <Bar value={folder.totalBytes > 0 ? folder.doneBytes / folder.totalBytes : null} label="Disc folder" />
      </span>
      <span className="text-second">
        its files are taken out, {bytes(folder.doneBytes)} of {bytes(folder.totalBytes)}
      </span>
      <Button className="px-2 py-0.5" onClick={() => void action.run(() => call('stopFolder', { id: folder.id }))}>
        Stop
      </Button>
    </div>
  );
}

/** An image: what was read of it and how fast, from which copies, and what can be done about its gaps. */
export function ImageDialog({ image, engine, onClose }: { image: DiscImageState; engine: EngineState; onClose: () => void }) {
  const detail = useDetail(image);
  const action = useAction();
  const { mark, text } = IMAGE_STATE[image.state];
  const isAtWork = image.state === 'taking' || image.state === 'finishing';
  const isOpen = image.readBytes < image.sizeBytes;
  const folder = engine.folders.find((f) => f.image === image.id);
  const isMaking = folder?.state === 'making';
  return (
    <Modal
      wide
      title={image.name}
      onClose={onClose}
      footer={
        <>
          {image.state === 'stopped' && (
            <Button
              tone="danger"
              disabled={action.busy}
              onClick={() =>
                void action
                  .run(() => call('discardImage', { id: image.id }))
                  .then((isGone) => {
                    if (isGone) onClose();
                  })
              }
            >
              Give up what was read
            </Button>
          )}
          {isAtWork && (
            <Button busy={action.busy} onClick={() => void action.run(() => call('stopImage', { id: image.id }))}>
              Stop, and keep what was read
            </Button>
          )}
          {(image.state === 'whole' || image.state === 'with gaps') && !isMaking && folder?.state !== 'done' && (
            <Button
              title="Its files, as players and other programs open them, beside it in the library"
              busy={action.busy}
              onClick={() => void action.run(() => call('makeFolder', { id: image.id }))}
            >
              Make a disc folder of it
            </Button>
          )}
          {image.fingerprint !== null && !isAtWork && (
            <Link className="text-accent hover:underline" href={`/bench/${image.fingerprint.slice(0, 16)}`}>
              To its Bench
            </Link>
          )}
        </>
      }
    >
      <div className="flex flex-col gap-3">
        <p className="flex flex-wrap items-baseline gap-x-4">
          <StateText state={mark}>{text}</StateText>
          <span>{imageLine(image)}</span>
          {image.progress && (
            <span className="text-second">
              {PASS[image.progress.pass]}, {bytes(image.progress.bytesPerSecond)} a second
              {image.progress.failed > 0 && `, ${plural(image.progress.failed, 'read')} failed`}
            </span>
          )}
          {image.worn !== null && image.worn > 0 && (
            <span className="text-second">{Math.max(1, Math.round(image.worn * 100))} % of it slow or failing at first</span>
          )}
        </p>
        <MapStrip cells={detail?.cells ?? NOTHING_KNOWN} />
        {detail && detail.record.curve.length > 0 && <ReadingCurveChart parts={detail.record.curve} sizeBytes={image.sizeBytes} />}
        {detail && detail.gapCount > 0 && image.state === 'with gaps' && (
          <p className="text-second">
            {plural(detail.gapCount, 'gap')}:{' '}
            {detail.gaps
              .slice(0, 6)
              .map(
                ([at, size]) =>
                  `${Math.ceil(size / 2048).toLocaleString('en-GB')} from sector ${Math.floor(at / 2048).toLocaleString('en-GB')}`,
              )
              .join('; ')}
            {detail.gapCount > 6 && ' …'}. Its map has them all.
          </p>
        )}
        {!isAtWork && isOpen && <GoOn image={image} engine={engine} />}
        {detail && <Sources detail={detail} />}
        {detail?.record.digest && (
          <p className="text-[12px] text-third">
            {algorithmOf(detail.record.digest)} of the image as it stands: <span className="break-all">{detail.record.digest}</span>
          </p>
        )}
        {folder && <FolderLine folder={folder} />}
        {detail && detail.checks.length > 0 && (
          <section aria-label="Checked since it was taken">
            <h3 className="pb-0.5 text-second">Checked since it was taken</h3>
            <CheckList checks={detail.checks} />
          </section>
        )}
        {image.problem && <ProblemNote problem={image.problem} />}
        {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
      </div>
    </Modal>
  );
}
