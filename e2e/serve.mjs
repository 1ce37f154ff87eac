// Starts the application for a browser test and takes orders from it.
import { announce, freePort } from '../scripts/address.mjs';
import { supervise } from '../scripts/supervise.mjs';

const [config, dataFolder] = process.argv.slice(2);
// Two workers that start at once must not look for a port in the same place.
const port = await freePort(4800 + 120 * Number(process.env.TEST_PARALLEL_INDEX ?? 0) + Math.floor(Math.random() * 100));
const { parts } = supervise({ config, dataFolder, port });
process.on('message', ({ kill }) => parts[kill]?.kill('SIGKILL'));
process.once('disconnect', () => process.kill(process.pid, 'SIGTERM'));
await announce(port);
process.send({ address: `http://127.0.0.1:${port}` });
