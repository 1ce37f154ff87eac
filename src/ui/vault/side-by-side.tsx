'use client';

import { useEffect, useState } from 'react';
import type { Output, VaultEntry } from '@/contract';
import { useOutput } from '@/store/outputs';
import { bytes } from '../format';
import { Empty } from '../parts/controls';
import { Select } from '../parts/fields';
import { Modal } from '../parts/modal';
import { proofWord } from '../words-proof';
import { resultName } from '../words-recipes';
import { PlayBar } from './play-bar';
import { usePlaying, type Playing } from './use-playing';

const LOOK_MS = 200;

const nameOf = (o: Pick<VaultEntry, 'path' | 'sidecar'>) =>
  `${o.sidecar.reel.name}, ${resultName(o.sidecar)}, ${bytes(o.sidecar.file.sizeBytes)}`;

/** What may well show the same: results of the same disc first, and of them those of the same reel. */
export function comparableWith(entry: Pick<VaultEntry, 'id' | 'sidecar'>, entries: readonly VaultEntry[]): readonly VaultEntry[] {
  const { disc, reel } = entry.sidecar;
  const rank = (o: VaultEntry) => (o.sidecar.disc.fingerprint === disc.fingerprint ? 2 : 0) + (o.sidecar.reel.name === reel.name ? 1 : 0);
  return entries.filter((o) => o.id !== entry.id && rank(o) > 0 && o.presence === 'present').sort((a, b) => rank(b) - rank(a));
}

function Side({ output, playing, muted, name }: { output: Output; playing: Playing; muted: boolean; name: string }) {
  const { key, ...props } = playing.props;
  const { sidecar } = output;
  return (
    <figure className="flex min-w-0 flex-col gap-1">
      <video key={key} {...props} muted={muted} aria-label={name} className="aspect-video w-full rounded-[4px] bg-black" />
      {playing.failed && <p className="text-damaged">It could not be played. The file itself is not touched by that.</p>}
      <figcaption className="flex flex-col">
        <span className="truncate font-semibold" title={output.path}>
          {output.path}
        </span>
        <span className="text-second">
          {resultName(sidecar)} · <span className="tabular-nums">{bytes(sidecar.file.sizeBytes)}</span> · {proofWord(sidecar)}
        </span>
      </figcaption>
    </figure>
  );
}

/** Two files in step, under one time line: the second follows the first. */
function Both({ first, second }: { first: Output; second: Output }) {
  const [a, b] = [usePlaying(first), usePlaying(second)];
  const { follow, now } = { follow: b.follow, now: a.now };
  const isPlaying = a.isPlaying || b.isPlaying;
  useEffect(() => {
    if (!isPlaying) return;
    const timer = setInterval(() => {
      follow(now());
    }, LOOK_MS);
    return () => {
      clearInterval(timer);
    };
  }, [isPlaying, follow, now]);
  const both = (act: (p: Playing) => void) => () => {
    act(a);
    act(b);
  };
  return (
    <div className="flex flex-col gap-2">
      <div className="grid grid-cols-2 gap-3">
        <Side output={first} playing={a} muted={false} name="First file" />
        <Side output={second} playing={b} muted name="Second file" />
      </div>
      <PlayBar
        atMs={a.atMs}
        durationMs={a.durationMs}
        isPlaying={isPlaying}
        chapters={first.sidecar.promise.chapters}
        onSeek={(ms) => {
          a.seek(ms);
          b.seek(ms);
        }}
        onPlay={both((p) => {
          p.play();
        })}
        onPause={both((p) => {
          p.pause();
        })}
      />
      <p className="text-[12px] text-third">
        Both play at the same moment; what is heard is the first. A master is made into what a browser plays while it is watched, so this
        shows what is in the files, not how finely: for that there is the rehearsal on the Bench, and the nearness that was measured.
      </p>
    </div>
  );
}

/** A file beside another that is chosen, to decide which of them to keep. */
export function SideBySide({ output, others, onClose }: { output: Output; others: readonly VaultEntry[]; onClose: () => void }) {
  const [chosen, setChosen] = useState(others[0]?.id ?? '');
  const { output: second } = useOutput(others.find((o) => o.id === chosen));
  return (
    <Modal wide title={`${output.sidecar.reel.name} beside`} onClose={onClose}>
      <div className="flex flex-col gap-2">
        <Select
          label="The other file"
          value={chosen}
          options={others.map((o) => ({ value: o.id, name: nameOf(o) }))}
          onChange={setChosen}
          className="max-w-full self-end"
        />
        {second ? <Both key={second.id} first={output} second={second} /> : <Empty title="Reading its sidecar…" />}
      </div>
    </Modal>
  );
}
