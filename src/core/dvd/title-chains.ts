import type { TitleSet } from './ifo';
import { Registers, runCommands } from './machine';

/** A title has no more chains than this: one made to confuse goes round and round. */
const MOST_CHAINS = 99;

/** The chain that a player goes on with behind another: by its commands, else by its own field. DVD-Video: PGC_CMDT, PGC_GI. */
function chainBehind(set: TitleSet, number: number, registers: Registers): number | null {
  const chain = set.pgcs[number - 1];
  if (!chain) return null;
  const outcome = runCommands(chain.postCommands, registers);
  if (outcome.kind === 'jump') return outcome.jump.to === 'chain' ? outcome.jump.chain : null;
  if (outcome.kind === 'through' || (outcome.kind === 'link' && outcome.link === 'next chain')) return chain.nextPgc || null;
  return null;
}

/**
 * All chains of a title: those that its chapters name, and those that a player goes on with behind them while the title lasts, which
 * no chapter has to name.
 * @param named numbers of chains from 1, in the order of the chapters. @param titleInSet whose they are.
 */
export function chainsOfTitle(set: TitleSet, titleInSet: number, named: readonly number[]): number[] {
  const chains: number[] = [];
  const registers = new Registers();
  const visited = new Set(named);
  for (const first of named) {
    if (chains.includes(first)) continue;
    chains.push(first);
    for (
      let next = chainBehind(set, first, registers);
      next !== null && visited.size < MOST_CHAINS;
      next = chainBehind(set, next, registers)
    ) {
      // Another title begins there, or what was shown already begins again.
      if (visited.has(next) || set.titleOfChain[next - 1] !== titleInSet) break;
      visited.add(next);
      if (runCommands(set.pgcs[next - 1]?.preCommands ?? [], registers).kind !== 'through') break;
      chains.push(next);
    }
  }
  return chains;
}
