// One running application for each data folder: a second one would take the first one's queue from it.
import { linkSync, mkdirSync, readFileSync, readdirSync, realpathSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';

/** Start time in clock ticks since boot: field 22 of /proc/PID/stat (proc(5)); null where there is no such process, or it only waits to be noticed. */
function startTimeOf(pid) {
  try {
    const text = readFileSync(`/proc/${pid}/stat`, 'utf8');
    const fields = text.slice(text.lastIndexOf(')') + 2).split(' ');
    return fields[0] === 'Z' ? null : (fields[19] ?? null);
  } catch {
    return null;
  }
}

function read(file) {
  try {
    const { pid, startTime, address } = JSON.parse(readFileSync(file, 'utf8'));
    return Number.isInteger(pid) && typeof startTime === 'string'
      ? { pid, startTime, address: typeof address === 'string' ? address : null }
      : null;
  } catch {
    return null;
  }
}

const isAlive = ({ pid, startTime }) => startTimeOf(pid) === startTime;

/**
 * Takes a data folder for this process, before anything in it is touched; gives it back when the process ends.
 * Where another that lives has it, says where that is and how to stop it, and ends this process (69, sysexits: unavailable).
 * @param {string} folder made where it is not there.
 * @returns {{ dataFolder: string, tell: (address: string) => void }} `tell`: where the application is now.
 */
export function holdDataFolder(folder) {
  mkdirSync(folder, { recursive: true });
  const dataFolder = realpathSync(folder);
  const file = path.join(dataFolder, 'running.json');
  const own = `${file}.${process.pid}`;
  const put = (address) => writeFileSync(own, JSON.stringify({ pid: process.pid, startTime: startTimeOf(process.pid), address }));
  put(null);
  try {
    for (let tries = 0; ; tries++) {
      try {
        linkSync(own, file);
        break;
      } catch (error) {
        if (error.code !== 'EEXIST') {
          // No hard links here: the last to write has it, which is known a moment later.
          const other = read(file);
          if (other && isAlive(other)) refuse(other, dataFolder, own);
          renameSync(own, file);
          break;
        }
        const other = read(file);
        if (other && isAlive(other)) refuse(other, dataFolder, own);
        if (tries > 20) throw error;
        // Its process is gone. Only one of several that see this can move it away; the others look again.
        try {
          renameSync(file, `${own}.old`);
          rmSync(`${own}.old`, { force: true });
        } catch (second) {
          if (second.code !== 'ENOENT') throw second;
        }
      }
    }
  } finally {
    rmSync(own, { force: true });
  }
  process.on('exit', () => {
    if (read(file)?.pid === process.pid) rmSync(file, { force: true });
  });
  sayWhatRuns(dataFolder);
  return {
    dataFolder,
    tell: (address) => {
      put(address);
      renameSync(own, file);
    },
  };
}

function refuse({ pid, address }, dataFolder, own) {
  rmSync(own, { force: true });
  console.error(
    `\nCareful Vault already runs on ${dataFolder}${address ? `, at ${address}` : ', and is just starting'} (process ${pid}).\nOpen that, or stop it first:\n\n  kill ${pid}\n\nTo run another beside it, give it a data folder of its own: --data FOLDER\n`,
  );
  process.exit(69);
}

/** Jobs that an earlier run has left at work: they go on by themselves. */
function sayWhatRuns(dataFolder) {
  const jobs = path.join(dataFolder, 'jobs');
  let names = [];
  try {
    names = readdirSync(jobs);
  } catch {
    return; // none yet
  }
  const pids = names.flatMap((name) => {
    const runner = read(path.join(jobs, name, 'runner.json'));
    if (!runner || !isAlive(runner)) return [];
    try {
      return readFileSync(`/proc/${runner.pid}/cmdline`, 'utf8').includes(path.join(jobs, name)) ? [runner.pid] : [];
    } catch {
      return [];
    }
  });
  if (pids.length === 0) return;
  const [what, verb, them] = pids.length === 1 ? ['One job', 'is', 'it'] : [`${pids.length} jobs`, 'are', 'them'];
  console.log(
    `\n${what} of an earlier run ${verb} still at work, and ${verb} followed in the Queue. Cancel ${them} there, or: kill ${pids.join(' ')}\n`,
  );
}
