'use client';

import { useQueryClient } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { Output, VaultEntry } from '@/contract';
import { algorithmOf } from '@/core/proof/digest';
import { FAULT_WEIGHTS } from '@/core/reading/fault';
import { faultText, lengthText } from '@/core/reading/fault-text';
import { MASTER } from '@/core/recipes';
import { call } from '@/store/api';
import { bytes, clock, dayTime, languageName, list, plural } from '../format';
import { Button, Panel, StateText } from '../parts/controls';
import { ProblemNote } from '../parts/problem-note';
import { toast } from '../parts/toasts';
import { useAction } from '../parts/use-action';
import { recipeLine, resultName } from '../words-recipes';
import { CHECK, legsText, proofState, proofText } from '../words-proof';
import { Checks, LastCheck } from './checks';
import { MakeBag } from './make-bag';
import { MakeCopies } from './make-copies';
import { OutcomeOf } from './outcome';
import { Player } from './player';
import { SideBySide, comparableWith } from './side-by-side';
import { Section } from './section';

const CODEC: Readonly<Record<string, string>> = {
  V_MPEG2: 'MPEG-2',
  V_MPEG1: 'MPEG-1',
  'V_MPEG4/ISO/AVC': 'H.264',
  'V_MPEGH/ISO/HEVC': 'HEVC',
  'V_MS/VFW/FOURCC': 'VC-1',
  A_AC3: 'AC-3',
  A_EAC3: 'E-AC-3',
  A_TRUEHD: 'TrueHD',
  A_DTS: 'DTS',
  A_FLAC: 'FLAC',
  A_OPUS: 'Opus',
  'A_PCM/INT/LIT': 'PCM',
  'A_MPEG/L2': 'MPEG audio',
  S_VOBSUB: 'pictures, as on the disc',
  'S_HDMV/PGS': 'pictures, as on the disc',
  'S_HDMV/TEXTST': 'text',
  'S_TEXT/UTF8': 'text',
  'S_TEXT/ASS': 'ASS',
  'S_TEXT/WEBVTT': 'WebVTT',
};

function Streams({ output }: { output: Output }) {
  const { promise, proof, recipe } = output.sidecar;
  return (
    <table className="w-full">
      <thead>
        <tr className="text-left text-third">
          <th scope="col" className="font-normal">
            stream
          </th>
          <th scope="col" className="font-normal">
            codec
          </th>
          <th scope="col" className="font-normal">
            language
          </th>
          <th scope="col" className="text-right font-normal">
            frames
          </th>
          <th scope="col" className="text-right font-normal">
            size
          </th>
          <th scope="col" className="pl-3 font-normal">
            {recipe === MASTER ? 'BLAKE3 of the disc’s bytes' : 'made from'}
          </th>
        </tr>
      </thead>
      <tbody>
        {promise.tracks
          .filter((t) => recipe === MASTER || t.kind !== 'subtitle')
          .map((t, i) => {
            const same = proof.checks.find((c) => c.what === 'track identical' && c.track === i)?.passed;
            return (
              <tr key={t.stream} className="border-t border-faint">
                <td className="py-0.5">{t.kind}</td>
                <td>{CODEC[t.codecId] ?? t.codecId}</td>
                <td>{t.kind === 'video' ? '' : languageName(t.language)}</td>
                <td className="text-right">{t.packets.toLocaleString('en-GB')}</td>
                <td className="text-right whitespace-nowrap">{bytes(t.bytes)}</td>
                <td className="pl-3">
                  {recipe === MASTER ? (
                    <StateText state={same ? 'kept' : 'damaged'}>
                      <span title={t.hash} className="text-[12px]">
                        {t.hash.slice(0, 12)}… {same ? 'identical' : 'differs'}
                      </span>
                    </StateText>
                  ) : (
                    <span className="text-[12px] text-second">{t.hash.slice(0, 12)}…</span>
                  )}
                </td>
              </tr>
            );
          })}
      </tbody>
    </table>
  );
}

const MOST_SHOWN = 200;

/** Places where the disc is not whole, or not as it says of itself. */
function Exceptions({ output }: { output: Output }) {
  const { proof, promise } = output.sidecar;
  if (proof.exceptions.length === 0) return null;
  const nameOf = (track: number) => {
    const found = promise.tracks[track];
    if (!found) return `track ${track + 1}`;
    return `track ${track + 1} (${[languageName(found.language), CODEC[found.codecId] ?? found.codecId].filter(Boolean).join(', ')})`;
  };
  return (
    <Section name={promise.wholeness && promise.wholeness.damage > 0 ? 'Where the disc is not whole' : 'Where the disc is odd'}>
      <ol className="max-h-48 overflow-y-auto" tabIndex={0} aria-label="Places where the disc is not whole">
        {proof.exceptions.slice(0, MOST_SHOWN).map((fault, i) => (
          <li key={`${fault.kind} ${fault.atMs} ${i}`}>
            <StateText state={FAULT_WEIGHTS[fault.kind] === 'damage' ? 'damaged' : 'eyes'}>{faultText(fault, nameOf)}</StateText>
          </li>
        ))}
      </ol>
      {proof.exceptionCount > MOST_SHOWN && (
        <p className="text-second">{plural(proof.exceptionCount - MOST_SHOWN, 'more place')}; the sidecar lists them.</p>
      )}
    </Section>
  );
}

function Proof({ output }: { output: Output }) {
  const action = useAction();
  const [again, setAgain] = useState<{ proof: Output['sidecar']['proof']; digestMatches: boolean } | null>(null);
  const proof = again?.proof ?? output.sidecar.proof;
  const wrong = proof.checks.filter((c) => !c.passed);
  return (
    <Section
      name="Proof"
      aside={
        <Button
          disabled={action.busy || output.presence === 'missing'}
          onClick={() =>
            void action.run(async () => {
              setAgain(await call('reprove', { id: output.id }));
            })
          }
        >
          {action.busy ? 'Reading the file…' : 'Prove it again'}
        </Button>
      }
    >
      <StateText state={proofState({ ...output.sidecar, proof })}>
        <span className="font-semibold">{proofText({ ...output.sidecar, proof })}</span>
      </StateText>
      <ul className="list-disc pl-4 text-second">
        {legsText(output.sidecar).map((leg) => (
          <li key={leg}>{leg}</li>
        ))}
      </ul>
      <p className="pt-1 text-[12px] text-third">
        {plural(proof.checks.length, 'check')}: {[...new Set(proof.checks.map((c) => CHECK[c.what]))].join(', ')}.
      </p>
      {again && (
        <p className="pt-1">
          <StateText state={again.digestMatches ? 'kept' : 'damaged'}>
            {again.digestMatches
              ? `Proven again just now; its ${algorithmOf(output.sidecar.file.digest)} is unchanged.`
              : `${algorithmOf(output.sidecar.file.digest)} is not what the sidecar says: the file, or one beside it, was changed.`}
          </StateText>
        </p>
      )}
      {wrong.map((c) => (
        <p key={`${c.what}${c.track}`}>
          <StateText state="damaged">
            {CHECK[c.what]}
            {c.track === null ? '' : ` of track ${c.track + 1}`}: {c.found} instead of {c.expected}
          </StateText>
        </p>
      ))}
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </Section>
  );
}

/** Where a file is from, how it was made, and where it stands. */
function Provenance({ output }: { output: Output }) {
  const { sidecar } = output;
  const sectors = sidecar.segments.reduce((sum, s) => sum + s.sectors, 0);
  const first = sidecar.segments[0];
  const last = sidecar.segments.at(-1);
  return (
    <Section name="Provenance">
      <dl className="grid grid-cols-[96px_minmax(0,1fr)] gap-x-3">
        <dt className="text-second">disc</dt>
        <dd>
          {sidecar.disc.label}, {sidecar.disc.kind}, read from {sidecar.disc.source}
        </dd>
        <dt className="text-second">fingerprint</dt>
        <dd className="break-all">{sidecar.disc.fingerprint}</dd>
        <dt className="text-second">segments</dt>
        <dd>
          {plural(sidecar.segments.length, 'segment')}, {sectors.toLocaleString('en-GB')} sectors
          {first && last
            ? `, disc sectors ${first.discSector.toLocaleString('en-GB')} to ${(last.discSector + last.sectors - 1).toLocaleString('en-GB')}`
            : ''}
        </dd>
        {sidecar.copy && (
          <>
            <dt className="text-second">recipe</dt>
            <dd>
              {sidecar.copy.recipe.name}: {recipeLine(sidecar.copy.recipe)}
            </dd>
          </>
        )}
        <dt className="text-second">made</dt>
        <dd>
          {dayTime(sidecar.madeAt)} by {sidecar.application}
          {Object.entries(sidecar.tools)
            .map(([tool, version]) => `, ${tool} ${version.replace(/^ffmpeg version /, 'FFmpeg ').replace(/^v/, '')}`)
            .join('')}
        </dd>
        <dt className="text-second">file</dt>
        <dd className="break-all">
          {output.storageName} / {output.path}
        </dd>
        <dt className="text-second">{algorithmOf(sidecar.file.digest)}</dt>
        <dd className="break-all">{sidecar.file.digest}</dd>
      </dl>
    </Section>
  );
}

/** Sets a result aside; can be undone from what says so, and later from the trash. */
function Discard({ output }: { output: Output }) {
  const action = useAction();
  const client = useQueryClient();
  const { name } = output.sidecar.reel;
  const again = () => client.invalidateQueries({ queryKey: ['trash'] });
  const putBack = async () => {
    const { entries } = await call('trash');
    const entry = entries.find((e) => e.storage === output.storage && e.path === output.path);
    if (entry) await call('putBack', { id: entry.id });
    await again();
  };
  const discard = () =>
    action.run(async () => {
      await call('discard', { id: output.id });
      await again();
      toast({ text: `${name} was discarded`, state: 'none', act: { name: 'Undo', run: () => void putBack() } });
    });
  return (
    <>
      <Button tone="danger" busy={action.busy} title="It stands aside until the trash is emptied" onClick={() => void discard()}>
        Discard
      </Button>
      {action.problem && <ProblemNote problem={action.problem} onClose={action.clear} />}
    </>
  );
}

/** One result: watch it, see what is in it, what was proven, and whence it came. */
export function OutputDetail({ output, entries }: { output: Output; entries: readonly VaultEntry[] }) {
  const { sidecar } = output;
  const [copying, setCopying] = useState(false);
  const [bagging, setBagging] = useState(false);
  const [isBeside, setBeside] = useState(false);
  const others = useMemo(() => comparableWith(output, entries), [output, entries]);
  const twins = entries.filter((o) => o.id !== output.id && o.sidecar.file.digest === sidecar.file.digest && o.presence === 'present');
  const left = sidecar.promise.tracks.flatMap((t, i) => t.left.map((l) => ({ ...l, track: i + 1 })));
  return (
    <Panel
      label={sidecar.file.name}
      title={sidecar.reel.name}
      aside={
        <span className="text-second">
          {resultName(sidecar)}, {bytes(sidecar.file.sizeBytes)}
        </span>
      }
    >
      <div className="min-h-0 flex-1 divide-y divide-faint overflow-y-auto">
        {output.seal === 'broken' && (
          <div className="px-4 py-2">
            <StateText state="damaged">
              The sidecar was changed after it was written: what stands below is not all as the proof left it. The film itself is not
              touched by that; prove it again to see whether the two still agree.
            </StateText>
          </div>
        )}
        <LastCheck output={output} />
        {twins.length > 0 && (
          <div className="px-4 py-2">
            <StateText state="eyes">
              The very same file stands in the vault {twins.length === 1 ? 'once more' : `${twins.length} times more`}:{' '}
              {list(twins.map((t) => `${t.path} in ${t.storageName}`))}. One of them can be discarded.
            </StateText>
          </div>
        )}
        {output.presence !== 'present' && (
          <div className="px-4 py-2">
            <StateText state="damaged">
              {output.presence === 'missing'
                ? 'The file is not there any more; only its sidecar is.'
                : 'The file is not as long as its sidecar says.'}
            </StateText>
          </div>
        )}
        <div className="grid grid-cols-[minmax(0,380px)_minmax(0,1fr)]">
          <div className="px-4 py-3">
            <Player key={output.id} output={output} />
            <div className="flex flex-wrap gap-2 pt-3">
              {sidecar.recipe === MASTER && (
                <Button
                  disabled={output.presence !== 'present' || output.seal === 'broken'}
                  title="Copies of this master by any recipes; the disc is not needed"
                  onClick={() => {
                    setCopying(true);
                  }}
                >
                  Make copies…
                </Button>
              )}
              <Button
                disabled={output.presence !== 'present' || output.seal === 'broken'}
                title="With sidecars and manifests, in a folder that anybody can check"
                onClick={() => {
                  setBagging(true);
                }}
              >
                Bag…
              </Button>
              {others.length > 0 && output.presence === 'present' && (
                <Button
                  title="With another file of the same film, in step"
                  onClick={() => {
                    setBeside(true);
                  }}
                >
                  Side by side…
                </Button>
              )}
              <Discard output={output} />
            </div>
            {isBeside && (
              <SideBySide
                output={output}
                others={others}
                onClose={() => {
                  setBeside(false);
                }}
              />
            )}
            {bagging && (
              <MakeBag
                output={output}
                onClose={() => {
                  setBagging(false);
                }}
              />
            )}
            {copying && (
              <MakeCopies
                output={output}
                onClose={() => {
                  setCopying(false);
                }}
              />
            )}
          </div>
          <div className="min-w-0 border-l border-faint">
            <OutcomeOf output={output} />
            <Proof output={output} />
            <Checks output={output} />
            <Section name="Chapters">
              {sidecar.promise.chapters.length === 0 && <p className="text-second">None.</p>}
              <ol className="grid max-h-36 grid-cols-2 gap-x-4 overflow-y-auto">
                {sidecar.promise.chapters.map((c) => (
                  <li key={c.startMs} className="flex justify-between gap-2">
                    <span className="truncate">{c.name}</span>
                    <span className="text-second">{clock(c.startMs)}</span>
                  </li>
                ))}
              </ol>
            </Section>
          </div>
        </div>
        <Section name="Streams">
          <Streams output={output} />
        </Section>
        {sidecar.beside.length > 0 && (
          <Section name="Subtitle files beside it">
            <ul>
              {sidecar.beside.map((f) => (
                <li key={f.name} className="flex justify-between gap-3">
                  <span className="break-all">{f.name}</span>
                  <span className="shrink-0 text-second">
                    track {f.track + 1}, {bytes(f.sizeBytes)}
                  </span>
                </li>
              ))}
            </ul>
          </Section>
        )}
        <Exceptions output={output} />
        {left.length > 0 && (
          <Section name="Left out, byte for byte">
            {left.map((l) => (
              <p key={`${l.track}${l.reason}`}>
                Track {l.track}: {l.bytes.toLocaleString('en-GB')} bytes{l.ms > 0 ? `, ${lengthText(l.ms)}` : ''}, {l.reason}.
              </p>
            ))}
          </Section>
        )}
        <Provenance output={output} />
      </div>
    </Panel>
  );
}
