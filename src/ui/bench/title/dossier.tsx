'use client';

import { canBeTaken, type Title } from '@/core/reading';
import { Button, Key, Panel } from '../../parts/controls';
import { roleOf } from '../../words';
import { useBench } from '../bench-context';
import { TitleChapters } from './chapters';
import { MeasureControls } from './measures';
import { TitleFacts, TitleFindings } from './title-facts';
import { Tracks } from './tracks';
import { Viewer } from './viewer';

/** All that is known of a title, and what the reel takes of it. */
export function Dossier({ title }: { title: Title }) {
  const { disc, source, taking, take } = useBench();
  const finding = disc.findings.titles.find((f) => f.title === title.number);
  const usable = canBeTaken(title);
  return (
    <Panel
      className="flex-1"
      label={`Title ${title.number}`}
      title={`Title ${title.number}, ${finding ? roleOf(finding) : ''}`}
      aside={
        usable && !taking ? (
          <Button tone="plain" onClick={take}>
            Take it <Key>T</Key>
          </Button>
        ) : (
          <span className="text-second">{usable ? 'in a reel' : ''}</span>
        )
      }
    >
      <div className="min-h-0 flex-1 divide-y divide-faint overflow-y-auto">
        {usable && (
          <Viewer title={title} angle={taking?.reel.pieces.find((p) => p.title === title.number)?.angle ?? 1} reel={taking?.reel ?? null} />
        )}
        <TitleFindings title={title} taken={taking !== null} />
        <TitleFacts title={title} />
        {usable && <MeasureControls disc={disc} title={title} source={source} />}
        <Tracks title={title} draft={taking} />
        <TitleChapters title={title} draft={taking} />
      </div>
    </Panel>
  );
}
