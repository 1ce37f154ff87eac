/** How Node is started for a runner: a heap that collects early, since memory must not grow with a title's length. */
export const RUNNER_FLAGS = ['--max-semi-space-size=2', '--optimize-for-size'] as const;
