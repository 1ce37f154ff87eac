import Link from 'next/link';
import { MASTER, type RecipeId } from '@/core/recipes';
import type { RecipeUse, Recipes } from '@/store/recipes';
import { Panel } from '../parts/controls';
import { plural } from '../format';
import { MASTER_NAME, recipeLine } from '../words-recipes';

const MOST_SHOWN = 8;

function Item({ id, name, line, isCurrent, choose }: { id: RecipeId; name: string; line: string; isCurrent: boolean; choose: () => void }) {
  return (
    <li>
      <button
        type="button"
        aria-current={isCurrent}
        data-recipe={id}
        onClick={choose}
        className={`flex w-full flex-col border-b border-faint px-3 py-1.5 text-left -outline-offset-2 ${isCurrent ? 'bg-wash shadow-[inset_3px_0_0_var(--accent)]' : 'hover:bg-wash/60'}`}
      >
        <span className="font-semibold">{name}</span>
        <span className="text-[12px] text-second">{line}</span>
      </button>
    </li>
  );
}

/** Where the recipe is used: it can not be removed from under what needs it. */
function Uses({ uses }: { uses: RecipeUse }) {
  const { reels, rules } = uses;
  return (
    <div className="px-3 py-2">
      <h3 className="smallcaps pb-1">Used by</h3>
      {rules && (
        <Link href="/rules" className="block hover:underline">
          the house rules
        </Link>
      )}
      {reels.slice(0, MOST_SHOWN).map((r, i) => (
        <Link
          key={i}
          href={`/bench/${r.fingerprint.slice(0, 16)}`}
          className="block truncate hover:underline"
          title={`${r.reel}, ${r.disc}`}
        >
          {r.reel} <span className="text-second">{r.disc}</span>
        </Link>
      ))}
      {reels.length > MOST_SHOWN && <span className="text-second">and {plural(reels.length - MOST_SHOWN, 'more reel')}</span>}
      {!rules && reels.length === 0 && <span className="text-second">nothing that is planned</span>}
    </div>
  );
}

export function RecipeList({
  recipes,
  chosen,
  choose,
  uses,
}: {
  recipes: Recipes;
  chosen: RecipeId;
  choose: (id: RecipeId) => void;
  uses: RecipeUse | null;
}) {
  const item = (id: RecipeId, name: string, line: string) => (
    <Item
      key={id}
      id={id}
      name={name}
      line={line}
      isCurrent={chosen === id}
      choose={() => {
        choose(id);
      }}
    />
  );
  return (
    <Panel label="Recipes" title={plural(recipes.all.length + 1, 'recipe')}>
      <div className="min-h-0 flex-1 overflow-y-auto">
        <ul>
          {item(MASTER, MASTER_NAME, 'every stream, Matroska')}
          {recipes.all.map((r) => item(r.id, r.name, recipeLine(r)))}
        </ul>
        {uses && <Uses uses={uses} />}
      </div>
    </Panel>
  );
}
