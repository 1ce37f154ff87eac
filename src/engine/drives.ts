import { existsSync, readFileSync, renameSync } from 'node:fs';
import path from 'node:path';
import { WorkError, type DriveState, type JobSource } from '@/contract';
import { isDiscIn, isDiscMade } from '@/node/drive';
import { writeDurably } from '@/node/durable';
import type { EngineConfig } from './config';
import type { DeviceDrives } from './device-drives';

interface Tray {
  disc: string | null;
  spunUp: boolean;
  /** Readings and jobs that use the drive now. */
  users: number;
  /** Discs that were laid into it. */
  changes: number;
}

/** Where a simulated disc stands that was pulled out. */
const pulledOut = (discFile: string): string => `${discFile}.pulled`;

/** All drives: those of this machine, and stand-ins that take discs of the demo archive like a tray would. */
export class Drives {
  private readonly trays = new Map<string, Tray>();
  private readonly stateFile: string;

  constructor(
    private readonly config: EngineConfig,
    private readonly devices: DeviceDrives,
    private readonly changed: () => void,
  ) {
    this.stateFile = path.join(config.dataFolder, 'trays.json');
    const before = this.load();
    for (const drive of config.drives) {
      const disc = before[drive.id];
      this.trays.set(drive.id, {
        disc: drive.discs.some((d) => d.id === disc) ? (disc ?? null) : null,
        spunUp: true,
        users: 0,
        changes: 0,
      });
    }
  }

  private load(): Record<string, string | null> {
    try {
      return JSON.parse(readFileSync(this.stateFile, 'utf8')) as Record<string, string | null>;
    } catch {
      return {};
    }
  }

  private save(): void {
    writeDurably(this.stateFile, JSON.stringify(Object.fromEntries([...this.trays].map(([id, tray]) => [id, tray.disc]))));
    this.changed();
  }

  private find(id: string) {
    const drive = this.config.drives.find((d) => d.id === id);
    const tray = this.trays.get(id);
    if (!drive || !tray) throw new WorkError('not-known', 'There is no such drive');
    return { drive, tray };
  }

  private readonly made = new Set<string>();
  /** Once it is there it stays. */
  private isMade(file: string): boolean {
    if (!this.made.has(file) && isDiscMade(file)) this.made.add(file);
    return this.made.has(file);
  }

  states(): DriveState[] {
    const simulated = this.config.drives.map((drive): DriveState => {
      const { tray } = this.find(drive.id);
      const disc = drive.discs.find((d) => d.id === tray.disc);
      return {
        id: drive.id,
        name: drive.name,
        simulated: true,
        device: null,
        tray: true,
        problem: null,
        disc: disc?.label ?? null,
        discs: drive.discs.filter(({ file }) => this.isMade(file)).map(({ id, label }) => ({ id, label })),
        state: !disc ? 'empty' : tray.users > 0 ? (tray.spunUp ? 'reading' : 'spinning up') : 'ready',
      };
    });
    return [...this.devices.states(), ...simulated];
  }

  insert(id: string, disc: string): void {
    const { drive, tray } = this.find(id);
    if (tray.users > 0) throw new WorkError('bad-request', `${drive.name} is being read: eject when it is done`);
    const found = drive.discs.find((d) => d.id === disc);
    if (!found) throw new WorkError('not-known', 'There is no such disc');
    if (!isDiscIn(found.file) && existsSync(pulledOut(found.file))) renameSync(pulledOut(found.file), found.file);
    Object.assign(tray, { disc, spunUp: false, changes: tray.changes + 1 });
    this.save();
  }

  /** Pulls the disc out of a simulated drive, whoever reads it: what a hand does, or a power cut. @throws WorkError `not-known`, `drive-empty`. */
  pull(id: string): void {
    const { drive, tray } = this.find(id);
    const disc = drive.discs.find((d) => d.id === tray.disc);
    if (!disc) throw new WorkError('drive-empty', `${drive.name} is empty`);
    renameSync(disc.file, pulledOut(disc.file));
    tray.disc = null;
    this.save();
  }

  /** The disc that a job is to read is not in its drive, as far as is known without reading it. */
  lacks({ drive: id, path: place }: Extract<JobSource, { kind: 'drive' }>): boolean {
    if (this.devices.has(id)) return this.devices.lacks(id);
    const drive = this.config.drives.find((d) => d.id === id);
    if (!drive) return false; // a drive that is not connected any more: its job says so when it reads
    const disc = drive.discs.find((d) => d.id === this.trays.get(id)?.disc);
    return disc?.file !== place || !isDiscIn(place);
  }

  /** Changes whenever another disc is laid in, or the same one anew. */
  content(id: string): string {
    return this.devices.has(id) ? this.devices.content(id) : `${this.trays.get(id)?.changes ?? 0}`;
  }

  /** @throws WorkError `bad-request`, `drive-busy`, `drive-refused`. */
  async eject(id: string): Promise<void> {
    if (this.devices.has(id)) {
      await this.devices.eject(id);
      return;
    }
    const { drive, tray } = this.find(id);
    if (tray.users > 0) throw new WorkError('bad-request', `${drive.name} is being read: cancel that first`);
    tray.disc = null;
    this.save();
  }

  /** @throws WorkError `drive-empty`. */
  source(id: string): JobSource {
    if (this.devices.has(id)) return this.devices.source(id);
    const { drive, tray } = this.find(id);
    const disc = drive.discs.find((d) => d.id === tray.disc);
    if (!disc) throw new WorkError('drive-empty', `${drive.name} is empty`);
    return { kind: 'drive', path: disc.file, label: `${disc.label} in ${drive.name}`, drive: id };
  }

  /** Somebody reads it now. */
  isUsed(id: string): boolean {
    return this.devices.has(id) ? this.devices.isUsed(id) : (this.trays.get(id)?.users ?? 0) > 0;
  }

  /** Marks a drive as in use. @returns whether it has to spin up, and a function to call when done. */
  use(id: string): { readonly spunUp: boolean; readonly done: () => void } {
    if (this.devices.has(id)) return this.devices.use(id);
    const tray = this.trays.get(id);
    // A drive that is not connected any more: its job says so when it reads.
    if (!tray) return { spunUp: true, done: () => undefined };
    const { spunUp } = tray;
    tray.users++;
    this.changed();
    let open = true;
    return {
      spunUp,
      done: () => {
        if (!open) return;
        open = false;
        tray.users--;
        tray.spunUp = true;
        this.changed();
      },
    };
  }

  /** Does the disc turn at its speed? */
  isSpunUp(id: string): boolean {
    if (this.devices.has(id)) return true;
    return this.find(id).tray.spunUp;
  }

  /** The disc has come to speed. */
  spunUp(id: string): void {
    if (this.devices.has(id)) return;
    const { tray } = this.find(id);
    if (tray.spunUp) return;
    tray.spunUp = true;
    this.changed();
  }
}
