import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { createServer, type AddressInfo } from 'node:net';
import path from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import type { z } from 'zod';
import { ROUTES, type RouteName } from '@/contract';

type ResponseOf<N extends RouteName> = (typeof ROUTES)[N]['response'] extends z.ZodType<infer T> ? T : never;

async function freePort(): Promise<number> {
  const probe = createServer().listen(0, '127.0.0.1');
  await once(probe, 'listening');
  const { port } = probe.address() as AddressInfo;
  probe.close();
  await once(probe, 'close');
  return port;
}

/** The web server before an engine, as the supervisor starts it; and what a page does through it. */
export class WebServer {
  private child: ChildProcess | null = null;
  private port = 0;

  constructor(private readonly dataFolder: string) {}

  async start(): Promise<void> {
    this.port ||= await freePort();
    const args = [path.join('scripts', 'web.mjs'), 'start', '-H', '127.0.0.1', '-p', String(this.port)];
    const env = {
      ...process.env,
      NODE_ENV: 'production' as const,
      NEXT_TELEMETRY_DISABLED: '1',
      CAREFUL_VAULT_SOCKET: path.join(this.dataFolder, 'engine.sock'),
      CAREFUL_VAULT_PORT: String(this.port),
    };
    this.child = spawn(process.execPath, args, { stdio: ['ignore', 'ignore', 'inherit', 'ipc'], env });
    const child = this.child;
    for (let i = 0; i < 600 && child.exitCode === null && child.signalCode === null; i++) {
      if (await fetch(`http://127.0.0.1:${this.port}/api/archive-of-nobody`).then(Boolean, () => false)) return;
      await sleep(100);
    }
    throw new Error('the web server does not come up');
  }

  async kill(): Promise<void> {
    const { child } = this;
    this.child = null;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const ended = once(child, 'exit');
    child.kill('SIGKILL');
    await ended;
  }

  /** What a page asks. @throws Error where there is no answer, or it is a refusal. */
  async call<N extends RouteName>(name: N, options: { id?: string; body?: unknown } = {}): Promise<ResponseOf<N>> {
    const route = ROUTES[name];
    const response = await fetch(`http://127.0.0.1:${this.port}/api${route.path.replace(':id', options.id ?? '')}`, {
      method: route.method,
      headers: { 'x-careful-vault': '1', ...(options.body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(options.body === undefined ? {} : { body: JSON.stringify(options.body) }),
    });
    const data: unknown = await response.json();
    if (!response.ok) throw new Error(JSON.stringify(data));
    if (route.response === 'stream') throw new Error('streams are not called');
    return route.response.parse(data) as ResponseOf<N>;
  }
}
