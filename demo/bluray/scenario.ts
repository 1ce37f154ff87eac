import type { BlurayPlan } from './author';

/** The Blu-ray discs of the demo archive. */
export const DEMO_BLURAYS: readonly BlurayPlan[] = [];
