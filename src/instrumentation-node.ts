/** Ends the web server with its supervisor, and in time: an open event stream would hold it for ever. */
export function start(): void {
  process.once('SIGTERM', () => setTimeout(() => process.exit(0), 1500).unref());
  if (process.send) process.once('disconnect', () => process.exit(0));
}
