// The steps of a run of tests: what goes beside what, what is left out, and what it all took.
import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import path from 'node:path';
import { buildPages, buildPrograms } from '../build.mjs';
import { root } from '../ensure.mjs';
import { writeGroups } from './groups.mjs';
import { leftOut } from './left-out.mjs';
import { keepTimes, TIMES } from './times.mjs';

/** What has not ended by then hangs: it is ended, and what it had said is printed. */
const HANGS_MS = 2_400_000;
/** All of the long tests: what has not been begun by then is left out, and named. */
const LONG_BUDGET_MS = Number(process.env.CAREFUL_VAULT_LONG_MINUTES ?? 22) * 60_000;

const seconds = (ms) => Math.round(ms / 1000);

export class Run {
  started = Date.now();
  parts = [];

  constructor() {
    rmSync(TIMES, { recursive: true, force: true });
    mkdirSync(TIMES, { recursive: true });
  }

  /** Does a part and notes what it took. @template T @param {string} name @param {() => Promise<T>} work */
  async part(name, work) {
    console.log(`\n== ${name} (at ${seconds(Date.now() - this.started)} s)`);
    const from = Date.now();
    const result = await work();
    this.parts.push({ name, seconds: seconds(Date.now() - from) });
    return result;
  }

  /** Runs a program of this project or of its packages. @returns whether it ended well. @param {{ beside?: boolean, env?: object }} options `beside`: what it says is printed at its end */
  program(name, file, args, { beside = false, env = {} } = {}) {
    const child = spawn(process.execPath, [file, ...args], {
      stdio: beside ? ['ignore', 'pipe', 'pipe'] : ['ignore', 'inherit', 'inherit'],
      env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', ...env },
    });
    const said = [];
    for (const stream of [child.stdout, child.stderr]) stream?.on('data', (part) => said.push(part));
    const hangs = setTimeout(() => {
      console.error(`${name} hangs: ended after ${seconds(HANGS_MS)} s`);
      child.kill('SIGKILL');
    }, HANGS_MS);
    return new Promise((resolve) => {
      child.on('close', (code) => {
        clearTimeout(hangs);
        console.log(`${Buffer.concat(said).toString()}${name}: ${code === 0 ? 'good' : `failed (${code})`}`);
        resolve(code === 0);
      });
    });
  }

  jest(args, env = {}) {
    return this.program('unit tests', 'node_modules/jest/bin/jest.js', ['--silent', ...args], { env });
  }

  browser(args, env = {}) {
    return this.program('browser tests', 'node_modules/@playwright/test/cli.js', ['test', ...args], { env });
  }

  /** Ends the run: what was left out, what it took; and with it this process, where something failed. */
  end(results) {
    const passed = !results.includes(false);
    keepTimes(this.parts);
    const missing = leftOut();
    if (missing.length > 0) {
      console.log(`\nNot tested here, ${missing.length}:`);
      for (const line of missing) console.log(`  ${line}`);
    }
    console.log(`\n${this.parts.map((p) => `${p.name} ${p.seconds} s`).join(', ')}`);
    const whole = `in ${seconds(Date.now() - this.started)} s${missing.length > 0 ? `, ${missing.length} skipped` : ''}`;
    console.log(passed ? `all passed ${whole}` : `failed ${whole}`);
    if (!passed) process.exit(1);
  }

  /** A lock file made where some machines' packages were not published yet can not be installed from. */
  lockIsWhole() {
    const lock = readFileSync('package-lock.json', 'utf8');
    if (lock.includes('node_modules/@next/swc-darwin-arm64') && !lock.includes('"resolved"')) return true;
    console.error('package-lock.json lacks packages of other machines, or names a registry: make it anew');
    return false;
  }

  /** Types, lint, format, arrows between the rooms: one after the other on one core. What has not changed is not looked at again. */
  async checks() {
    const kept = path.join(root, '.cache', 'checks');
    mkdirSync(kept, { recursive: true });
    const checks = [
      ['types', 'typescript/bin/tsc', ['--noEmit', '--incremental', '--tsBuildInfoFile', `${kept}/types.json`]],
      ['lint', 'eslint/bin/eslint.js', ['--cache', '--cache-strategy', 'content', '--cache-location', `${kept}/lint`, '.']],
      [
        'format',
        'prettier/bin/prettier.cjs',
        ['--check', '--log-level', 'warn', '--cache', '--cache-strategy', 'content', '--cache-location', `${kept}/format`, '.'],
      ],
      ['arrows', 'dependency-cruiser/bin/dependency-cruise.mjs', ['src', '--config', '.dependency-cruiser.mjs']],
    ];
    let good = true;
    for (const [name, file, args] of checks) good = (await this.program(name, `node_modules/${file}`, args, { beside: true })) && good;
    return good;
  }

  discs = () => this.program('discs for tests', 'dist/demo.mjs', ['.cache/fixtures/proving', 'proving'], { beside: true });

  async all() {
    if (!this.lockIsWhole()) process.exit(1);
    await this.part('build', async () => {
      await buildPrograms();
      // The pages' types want what the build writes.
      await Promise.all([buildPages(), this.discs()]);
    });
    writeGroups();
    const together = { CAREFUL_VAULT_GROUPS: '1' };
    const [units, checked] = await this.part('unit tests, checks beside them', () => Promise.all([this.jest([], together), this.checks()]));
    if (!units || !checked) return this.end([false]);
    const tried = await this.part('fuzz, strangers, doubt, soak', () =>
      Promise.all([
        this.program('fuzz', 'dist/fuzz.mjs', ['4000'], { beside: true }).then(
          async (good) => (await this.program('strangers', 'dist/strangers.mjs', ['20'], { beside: true })) && good,
        ),
        this.program('doubt', 'dist/doubt.mjs', ['50'], { beside: true }).then(
          async (good) => (await this.program('soak', 'dist/soak.mjs', ['faults', '2'], { beside: true })) && good,
        ),
      ]),
    );
    const pages = await this.part('browser tests', () => this.browser([]));
    this.end([...tried, pages]);
  }

  /** What takes long: in the order of its worth, for as long as there is time. */
  async long() {
    await this.part('build', async () => {
      await buildPrograms();
      await Promise.all([buildPages(), this.discs()]);
    });
    const env = { CAREFUL_VAULT_TESTS: 'long' };
    const parts = [
      ['unit tests: matrices, load, power cuts', () => this.jest([], env)],
      ['browser tests: recipes as they are shipped, two thousand discs', () => this.browser([], env)],
      [
        'fuzz and strangers beside doubt and soak, at length',
        () =>
          Promise.all([
            this.program('fuzz', 'dist/fuzz.mjs', ['10000'], { beside: true }).then(
              async (good) => (await this.program('strangers', 'dist/strangers.mjs', ['100', '1001'], { beside: true })) && good,
            ),
            this.program('doubt', 'dist/doubt.mjs', ['150', '51'], { beside: true }).then(
              async (good) => (await this.program('soak', 'dist/soak.mjs', ['faults', '6', '2'], { beside: true })) && good,
            ),
          ]).then((all) => !all.includes(false)),
      ],
      ['soak: a night', () => this.program('soak', 'dist/soak.mjs', ['night', '8'])],
    ];
    const results = [];
    for (const [name, work] of parts) {
      if (Date.now() - this.started > LONG_BUDGET_MS) leftOut(`${name}: no time was left for it`);
      else results.push(await this.part(name, work));
    }
    this.end(results);
  }

  /** What fits a pattern, or what a change touches. */
  async some(patterns, since, long) {
    await buildPrograms();
    const env = long ? { CAREFUL_VAULT_TESTS: 'long' } : { CAREFUL_VAULT_TESTS: 'any' };
    const results = [];
    const specs = readdirSync('e2e').filter((f) => f.endsWith('.spec.ts') && patterns.some((p) => `e2e/${f}`.includes(p)));
    const others = patterns.filter((p) => !specs.some((f) => `e2e/${f}`.includes(p)) || !p.includes('e2e'));
    if (since !== null || others.length > 0)
      results.push(
        await this.part('unit tests', () =>
          this.jest(
            [...(since === null ? [] : ['--changedSince', since]), ...others, ...(specs.length > 0 ? ['--passWithNoTests'] : [])],
            env,
          ),
        ),
      );
    if (specs.length > 0) {
      await Promise.all([buildPages(), this.discs()]);
      results.push(await this.part('browser tests', () => this.browser(specs, env)));
    }
    this.end(results);
  }
}
