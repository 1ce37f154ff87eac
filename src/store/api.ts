import type { z } from 'zod';
import { ARCHIVE_HEADER, ProblemSchema, ROUTES, type Problem, type RouteName } from '@/contract';
import { openedArchive } from './archive';

/** A problem that the engine, or the way to it, answered with. */
export class ApiError extends Error {
  override readonly name = 'ApiError';
  constructor(readonly problem: Problem) {
    super(problem.message);
  }
}

const AWAY: Problem = {
  code: 'engine-away',
  message: 'The application does not answer',
  whatToDo: 'It may be starting again: wait a moment. Otherwise start it again on this machine.',
  where: null,
};

/** What every request says: that it is of a page of ours, and for which archive it is meant, since what answers at this address may be another by now. */
export function ownHeaders(): Record<string, string> {
  const open = openedArchive();
  return { 'x-careful-vault': '1', ...(open ? { [ARCHIVE_HEADER]: open.archive.id } : {}) };
}

type ResponseOf<N extends RouteName> = (typeof ROUTES)[N]['response'] extends z.ZodType<infer T> ? T : never;
type BodyOf<N extends RouteName> = (typeof ROUTES)[N]['body'] extends z.ZodType<infer T> ? T : null;

/**
 * Calls a route of the contract; both ways are checked by its schemas.
 * @throws ApiError with the problem to show.
 */
export async function call<N extends RouteName>(
  name: N,
  options: { id?: string; body?: BodyOf<N>; query?: Record<string, string>; signal?: AbortSignal | undefined } = {},
): Promise<ResponseOf<N>> {
  const route = ROUTES[name];
  const path = route.path.replace(':id', encodeURIComponent(options.id ?? ''));
  const query = options.query ? `?${new URLSearchParams(options.query).toString()}` : '';
  let response: Response;
  try {
    response = await fetch(`/api${path}${query}`, {
      method: route.method,
      headers: { ...ownHeaders(), ...(options.body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(options.body === undefined ? {} : { body: JSON.stringify(options.body) }),
      ...(options.signal ? { signal: options.signal } : {}),
    });
  } catch {
    throw new ApiError(AWAY);
  }
  const data: unknown = await response.json().catch(() => null);
  if (!response.ok) {
    const problem = ProblemSchema.safeParse((data as { problem?: unknown } | null)?.problem);
    throw new ApiError(problem.success ? problem.data : AWAY);
  }
  if (route.response === 'stream') throw new Error('streams are not called');
  return route.response.parse(data) as ResponseOf<N>;
}

export const problemOf = (error: unknown): Problem =>
  error instanceof ApiError
    ? error.problem
    : {
        code: 'internal',
        message: error instanceof Error ? error.message : String(error),
        whatToDo: 'Reload the page; if it comes back, report it with this message.',
        where: null,
      };
