import { readFile, readdir, readlink, realpath, stat } from 'node:fs/promises';
import { userInfo } from 'node:os';
import path from 'node:path';
import type { Stats } from 'node:fs';
import { openImage } from '@/core/volume';
import { WorkError } from '@/contract';
import { deviceBytes, openFileSource, sysfsOf } from './files';
import { capture } from './program';

/** Drives as Linux has them: optical ones, and any other block device or image that stands in for one. Nothing here pulls in a tray or spins up a disc that is known. */

/** What lies in a drive. */
export interface Medium {
  readonly sizeBytes: number;
  /** The volume's own label; null where there is none that could be read. */
  readonly label: string | null;
  /** Changes when the disc does. */
  readonly signature: string;
}

export interface LookedDevice {
  readonly state: 'away' | 'empty' | 'refused' | 'busy' | 'ready';
  readonly medium: Medium | null;
  readonly problem: WorkError | null;
}

const line = (file: string): Promise<string | null> =>
  readFile(file, 'utf8').then(
    (text) => text.trim(),
    () => null,
  );
/** Optical drives of this machine, by what the kernel calls them. */
export async function opticalDevices(): Promise<{ id: string; name: string; path: string }[]> {
  const names = (await readdir('/sys/block').catch(() => [])).filter((n) => /^sr\d+$/.test(n)).sort();
  return Promise.all(
    names.map(async (name) => {
      const parts = [await line(`/sys/block/${name}/device/vendor`), await line(`/sys/block/${name}/device/model`)];
      return { id: name, name: parts.filter(Boolean).join(' ') || name, path: `/dev/${name}` };
    }),
  );
}

/** Whether an optical drive has a disc, by what the system knows already: asking the drive by opening it would pull its tray in. */
async function hasDisc(device: string, sysfs: string): Promise<boolean> {
  const said = await capture('udevadm', ['info', '--query=property', `--name=${device}`]).catch(() => null);
  if (said) return /^ID_CDROM_MEDIA=1$/m.test(said.out);
  // Without it: what a drive without a disc says of its size.
  const sectors = Number((await line(`${sysfs}/size`)) ?? 0);
  return sectors > 0 && sectors !== 2_097_151;
}

/** Processes that have a device open, as far as this user may see them, and where it is mounted. */
export async function holdersOf(device: string): Promise<string[]> {
  const found: string[] = [];
  const mounts = (await line('/proc/self/mounts')) ?? '';
  for (const mount of mounts.split('\n')) if (mount.startsWith(`${device} `)) found.push(`it is mounted at ${mount.split(' ')[1] ?? ''}`);
  for (const pid of (await readdir('/proc')).filter((n) => /^\d+$/.test(n) && Number(n) !== process.pid))
    for (const fd of await readdir(`/proc/${pid}/fd`).catch(() => []))
      if ((await readlink(`/proc/${pid}/fd/${fd}`).catch(() => '')) === device) {
        found.push(`${(await line(`/proc/${pid}/comm`)) ?? 'a program'} (process ${pid}) has it open`);
        break;
      }
  return found;
}

/** What somebody has to type so that a device can be read. */
export async function rightsFor(device: string, { gid, mode }: Pick<Stats, 'gid' | 'mode'>): Promise<string> {
  const group = ((await line('/etc/group')) ?? '').split('\n').find((g) => g.split(':')[2] === String(gid));
  const name = group?.split(':')[0] ?? 'cdrom';
  return (mode & 0o040) !== 0 ? `sudo usermod -aG ${name} ${userInfo().username}` : `sudo chmod g+r ${device}`;
}

/**
 * Looks at a device. @param known what was there before: a disc that has not changed is not touched.
 */
export async function lookAtDevice(device: string, known: Medium | null): Promise<LookedDevice> {
  const nothing = (state: LookedDevice['state'], problem: WorkError | null = null): LookedDevice => ({ state, medium: null, problem });
  const info = await stat(device).catch(() => null);
  if (!info) return nothing('away');
  if (!info.isBlockDevice() && !info.isFile()) return nothing('refused', new WorkError('drive-refused', `${device} is no drive`));
  const sysfs = sysfsOf(info.rdev);
  const isOptical = info.isBlockDevice() && /^sr\d+$/.test(path.basename(await realpath(device).catch(() => device)));
  if (isOptical && !(await hasDisc(device, sysfs))) return nothing('empty');
  const sizeBytes = info.isBlockDevice() ? await deviceBytes(info.rdev) : info.size;
  if (sizeBytes === 0) return nothing('empty');
  // The kernel numbers every disc that is put in (since 5.15); a file is another when it was written.
  const number = info.isBlockDevice() ? ((await line(`${sysfs}/diskseq`)) ?? '') : `${info.ino} ${info.mtimeMs}`;
  const signature = `${number} ${sizeBytes}`;
  if (known?.signature === signature) return { state: 'ready', medium: known, problem: null };
  try {
    const file = await openFileSource(device);
    try {
      const label = await openImage(file).then(
        (volume) => volume.label || null,
        () => null,
      );
      return { state: 'ready', medium: { sizeBytes, label, signature }, problem: null };
    } finally {
      await file.close();
    }
  } catch (error) {
    const cause = error instanceof Error ? (error.cause as NodeJS.ErrnoException | undefined) : undefined;
    switch (cause?.code) {
      case 'EACCES':
      case 'EPERM':
        return nothing(
          'refused',
          new WorkError('drive-refused', `${device} can not be read by ${userInfo().username}: ${await rightsFor(device, info)}`),
        );
      case 'EBUSY':
        return nothing('busy', new WorkError('drive-busy', (await holdersOf(device)).join('; ') || `${device} is in use`));
      default:
        return nothing('empty');
    }
  }
}

/** Opens or closes a tray. @throws WorkError `drive-busy` with who holds it, `drive-refused` where there is nothing to move. */
export async function moveTray(device: string, how: 'out' | 'in'): Promise<void> {
  try {
    await capture('eject', how === 'in' ? ['-t', device] : [device]);
  } catch (error) {
    const holders = await holdersOf(device);
    if (holders.length > 0) throw new WorkError('drive-busy', holders.join('; '), { cause: error });
    throw new WorkError('drive-refused', `Its tray does not move: ${error instanceof Error ? error.message : String(error)}`, {
      cause: error,
    });
  }
}
