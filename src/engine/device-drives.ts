import { toProblem, WorkError, type DriveState, type JobSource } from '@/contract';
import { lookAtDevice, moveTray, opticalDevices, type LookedDevice } from '@/node/device';
import type { EngineConfig } from './config';
import { Watched } from './watched';

interface Device {
  readonly id: string;
  readonly name: string;
  readonly path: string;
  readonly watched: Watched<LookedDevice>;
  seen: LookedDevice;
  /** Readings and jobs that use it now. */
  users: number;
}

const AWAY: LookedDevice = { state: 'away', medium: null, problem: null };

/** Drives of this machine: those that were named at the start, and optical ones as they come and go. One that was seen stays known, since jobs may name it. */
export class DeviceDrives {
  private readonly devices = new Map<string, Device>();
  /** Discs that lay in a drive before anybody looked are not read without being asked for. */
  private isFirst = true;

  /** @param arrived another disc lies in a drive. */
  constructor(
    private readonly config: Pick<EngineConfig, 'devices' | 'opticalDrives'>,
    private readonly changed: () => void,
    private readonly arrived: (id: string) => void,
  ) {
    for (const device of config.devices) this.know(device);
  }

  private know({ id, name, path }: { id: string; name: string; path: string }): void {
    if (this.devices.has(id)) return;
    const device: Device = {
      ...{ id, name, path, seen: AWAY, users: 0 },
      watched: new Watched(() => lookAtDevice(path, device.seen.medium), AWAY),
    };
    this.devices.set(id, device);
  }

  has(id: string): boolean {
    return this.devices.has(id);
  }

  private find(id: string): Device {
    const device = this.devices.get(id);
    if (!device) throw new WorkError('not-known', 'There is no such drive');
    return device;
  }

  /** Looks at all of them. One that is being read is left in peace. */
  async look(): Promise<void> {
    if (this.config.opticalDrives) for (const found of await opticalDevices()) this.know(found);
    for (const device of this.devices.values()) {
      if (device.users > 0) continue;
      const before = device.seen;
      device.seen = await device.watched.look();
      const isOther = device.seen.medium !== null && device.seen.medium.signature !== before.medium?.signature;
      if (before.state !== device.seen.state || isOther) this.changed();
      if (isOther && !this.isFirst) this.arrived(device.id);
    }
    this.isFirst = false;
  }

  states(): DriveState[] {
    return [...this.devices.values()].map(({ id, name, path, seen, users }) => ({
      id,
      name,
      simulated: false,
      device: path,
      tray: /^\/dev\/sr\d+$/.test(path),
      disc: seen.medium && (seen.medium.label ?? 'a disc without a label'),
      discs: [],
      state: users > 0 ? 'reading' : seen.state,
      problem: seen.problem && toProblem(seen.problem),
    }));
  }

  /** @throws WorkError `bad-request`, `drive-busy`, `drive-refused`. */
  async eject(id: string): Promise<void> {
    const device = this.find(id);
    if (device.users > 0) throw new WorkError('bad-request', `${device.name} is being read: cancel that first`);
    await moveTray(device.path, 'out');
    await this.look();
  }

  /** @throws WorkError `drive-refused`. */
  async load(id: string): Promise<void> {
    await moveTray(this.find(id).path, 'in');
    await this.look();
  }

  /** @throws WorkError `drive-empty`, `drive-refused`, `drive-busy`. */
  source(id: string): JobSource {
    const { name, path, seen, users } = this.find(id);
    if (seen.problem) throw seen.problem;
    if (!seen.medium && users === 0)
      throw new WorkError('drive-empty', seen.state === 'away' ? `${name} is not connected` : `${name} is empty`);
    return { kind: 'drive', path, label: `${seen.medium?.label ?? 'The disc'} in ${name}`, drive: id };
  }

  /** Changes with the disc that lies in it. */
  content(id: string): string {
    return this.devices.get(id)?.seen.medium?.signature ?? '';
  }

  /** As last seen, there is no disc in it, or it is not connected. One that cannot be looked at says so itself when it is read. */
  lacks(id: string): boolean {
    const device = this.devices.get(id);
    return device !== undefined && device.users === 0 && (device.seen.state === 'empty' || device.seen.state === 'away');
  }

  /** Somebody reads it now. */
  isUsed(id: string): boolean {
    return (this.devices.get(id)?.users ?? 0) > 0;
  }

  use(id: string): { readonly spunUp: boolean; readonly done: () => void } {
    const device = this.find(id);
    device.users++;
    this.changed();
    let open = true;
    return {
      spunUp: true,
      done: () => {
        if (!open) return;
        open = false;
        device.users--;
        this.changed();
      },
    };
  }
}
