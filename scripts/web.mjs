// The web server as a child that ends with whoever started it, however that ended: a closed channel is the last word of a starter.
import { createRequire } from 'node:module';
import { parseArgs } from 'node:util';

process.env.NEXT_PRIVATE_START_TIME = String(Date.now());
process.once('disconnect', () => process.exit(0));
const require = createRequire(import.meta.url);
const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: { H: { type: 'string', short: 'H' }, p: { type: 'string', short: 'p' } },
});
// The command's own front reads all of its other commands first: a third of a second.
if (positionals[0] === 'start') require('next/dist/cli/next-start').nextStart({ hostname: values.H, port: Number(values.p) });
else require('next/dist/bin/next');
