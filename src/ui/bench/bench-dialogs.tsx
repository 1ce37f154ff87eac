import { reelsWithFacts } from '@/store/facts';
import { MASTER } from '@/core/recipes';
import { RehearsalDialog } from '../rehearsal/rehearsal-dialog';
import { useBench } from './bench-context';
import { CompareDialog } from './compare/compare-dialog';
import { CoverageDialog } from './disc/coverage-dialog';
import { DiscFactsDialog } from './disc/disc-facts';
import { DivideDialog } from './editor/divide-dialog';

/** What is open over the Bench. */
export function BenchDialogs() {
  const { disc, dialog, openDialog, title, source, reels, coverage, proposal, draft, commands, ...bench } = useBench();
  const close = () => {
    openDialog(null);
  };
  switch (dialog?.kind) {
    case undefined:
      return null;
    case 'compare':
      return title && <CompareDialog disc={disc} title={title} source={source} onClose={close} />;
    case 'divide': {
      const divided = reels.find((r) => r.id === dialog.reel && r.jobId === null);
      return (
        divided && (
          <DivideDialog
            disc={disc}
            reel={divided.reel}
            onDivide={(made) => {
              commands.replace(divided.id, made);
            }}
            onClose={close}
          />
        )
      );
    }
    case 'rehearse': {
      const rehearsed = reels.find((r) => r.id === dialog.reel);
      const [piece] = rehearsed?.reel.pieces ?? [];
      const of = disc.reading.titles.find((t) => t.number === piece?.title);
      return (
        rehearsed &&
        of && (
          <RehearsalDialog
            on={{ disc, title: of, reel: rehearsed.reel, source }}
            first={rehearsed.reel.recipes.find((r) => r !== MASTER) ?? null}
            startMs={bench.moment?.title === of.number ? bench.moment.ms : of.durationMs / 3}
            onTake={
              rehearsed.jobId === null
                ? (id) => {
                    commands.setRecipe(new Set([rehearsed.id]), id, true);
                  }
                : null
            }
            onBars={
              rehearsed.jobId === null
                ? (bars) => {
                    commands.change(rehearsed.id, { ...rehearsed.reel, bars });
                  }
                : null
            }
            onClose={close}
          />
        )
      );
    }
    case 'coverage':
      return (
        <CoverageDialog
          disc={disc}
          coverage={coverage}
          proposal={proposal}
          reels={reels.map((r) => r.reel)}
          onTitle={bench.selectTitle}
          onStretch={bench.showStretch}
          onClose={close}
        />
      );
    case 'facts':
      return (
        <DiscFactsDialog
          disc={disc}
          onLook={bench.pictureLookedAt}
          onClose={close}
          onSaved={(now) => {
            void reelsWithFacts(reels, disc, now).then((next) => {
              draft.change(() => next);
            });
          }}
        />
      );
  }
}
