import { QueryClient } from '@tanstack/react-query';

/** So often something that fails is asked for again before it is said that it failed. */
const TRIES = 2;

/** What the engine is asked and does not send by itself: kept until its key changes, asked again where it failed, given up where nobody waits. */
export const queryClient = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Infinity,
      retry: TRIES,
      refetchOnWindowFocus: false,
      // The engine is on this machine: whether there is a network says nothing.
      networkMode: 'always',
    },
  },
});
