import type { HouseRules } from '@/core/reels';

/** What a part of the rules' form gets: the rules as they are edited, and the way to change them. */
export interface RulesProps {
  readonly rules: HouseRules;
  readonly set: (change: Partial<HouseRules>) => void;
}
