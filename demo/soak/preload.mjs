// Loaded before a runner: counts the calls by which it changes files, and at one of them kills it, has it fail, or takes its storage away.
// CAREFUL_VAULT_SOAK = {"mode", "at", "report", "command"}; see main.ts.
import { execSync } from 'node:child_process';
import fs from 'node:fs';
import { syncBuiltinESMExports } from 'node:module';

const { mode, at, report, command } = JSON.parse(process.env.CAREFUL_VAULT_SOAK);
const original = { writeFileSync: fs.writeFileSync };
let calls = 0;

const isErrno = /^E[A-Z]+$/.test(mode);
/** What a full disk still does. */
const FREES = new Set(['unlinkSync', 'rmSync', 'rm', 'rmdir', 'renameSync', 'rename', 'fsyncSync', 'sync']);

function before(name) {
  calls++;
  if (mode === 'ENOSPC' ? calls >= at && !FREES.has(name) : isErrno && calls === at)
    throw Object.assign(new Error(`${mode}: soaked, ${name}`), { code: mode, syscall: name });
  if (calls !== at) return;
  if (mode === 'kill before') process.kill(process.pid, 'SIGKILL');
  if (mode === 'run') execSync(command);
}
function after() {
  if (mode === 'kill after' && calls === at) process.kill(process.pid, 'SIGKILL');
}
const sync = (name, counts = () => true) => {
  const call = fs[name];
  fs[name] = (...args) => {
    if (!counts(...args)) return call(...args);
    before(name);
    const result = call(...args);
    after();
    return result;
  };
};
const asynchronous = (target, name, counts = () => true) => {
  const call = target[name];
  target[name] = async function (...args) {
    if (!counts(...args)) return call.apply(this, args);
    before(name);
    const result = await call.apply(this, args);
    after();
    return result;
  };
};
const writes = (_file, flags) => typeof flags === 'string' && /[wa+]/.test(flags);
const handle = await fs.promises.open('/dev/null');
const prototype = Object.getPrototypeOf(handle);
await handle.close();
sync('openSync', writes);
for (const name of ['writeSync', 'fsyncSync', 'renameSync', 'linkSync', 'unlinkSync', 'mkdirSync', 'rmSync']) sync(name);
asynchronous(fs.promises, 'open', writes);
for (const name of ['mkdir', 'rm', 'rmdir', 'rename']) asynchronous(fs.promises, name);
for (const name of ['write', 'sync']) asynchronous(prototype, name);
syncBuiltinESMExports();
if (report) process.on('exit', () => original.writeFileSync(report, String(calls)));
