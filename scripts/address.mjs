import { createServer } from 'node:net';

/** Ports that browsers or the web server refuse, though they may be free: SIP and X11. */
const REFUSED = new Set([5060, 5061, 6000]);

/** The wished port, or the next that is free. */
export async function freePort(wished) {
  for (let port = wished; port < wished + 50; port++) {
    if (REFUSED.has(port)) continue;
    const free = await new Promise((resolve) => {
      const probe = createServer()
        .once('error', () => resolve(false))
        .once('listening', () => probe.close(() => resolve(true)));
      probe.listen(port, '127.0.0.1');
    });
    if (free) return port;
  }
  throw new Error(`no port from ${wished} on is free`);
}

/** @param {number} port */
export const addressOf = (port) => `http://127.0.0.1:${port}`;

/** Waits until the application answers, then says where it is. */
export async function announce(port) {
  const address = addressOf(port);
  for (let i = 0; i < 600; i++) {
    const ok = await fetch(`${address}/api/state`).then(
      (r) => r.ok,
      () => false,
    );
    if (ok) {
      console.log(`\n  Careful Vault is at ${address}\n  Stop it with Ctrl+C.\n`);
      return;
    }
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  console.error('the application did not answer within a minute');
  process.exit(1);
}
