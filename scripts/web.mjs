// The web server as a child that ends with whoever started it, however that ended: a closed channel is the last word of a starter.
import { createRequire } from 'node:module';

process.once('disconnect', () => process.exit(0));
createRequire(import.meta.url)('next/dist/bin/next');
