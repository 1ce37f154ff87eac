// Starts the built application over discs of the demo archive. To be imported when all packages are there.
import { addressOf, announce, freePort } from './address.mjs';
import { holdDataFolder } from './lock.mjs';
import { writeDemoConfig } from './demo-config.mjs';
import { supervise } from './supervise.mjs';

/**
 * @param {string} cache folder with the discs. @param {string} data where this run keeps its own things.
 * @param {number} wished the port, or the next that is free.
 */
export async function startDemo(cache, data, wished) {
  const { tell } = holdDataFolder(data);
  const { file, dataFolder } = writeDemoConfig(cache, data);
  const port = await freePort(wished);
  const started = supervise({ config: file, dataFolder, port });
  tell(addressOf(port));
  await announce(port);
  return { ...started, address: addressOf(port) };
}
