import type { Arrange, Problem, QueueSettings } from '@/contract';
import { call } from './api';

/** Decides about jobs. @returns what could not be done, of the first of them. @throws ApiError. */
export async function arrange(jobs: readonly string[], decision: Arrange['decision']): Promise<{ done: number; problem: Problem | null }> {
  const { done, refused } = await call('arrange', { body: { jobs, decision } });
  return { done, problem: refused[0]?.problem ?? null };
}

/** @throws ApiError. */
export const setQueue = (settings: QueueSettings) => call('setQueue', { body: settings });
