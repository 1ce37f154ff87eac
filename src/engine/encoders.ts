import path from 'node:path';
import { encodersOf, workingHardware, type EncodePlan, type HardwareName } from '@/core/recipes';
import { WorkError, type EncoderState } from '@/contract';
import { tryEncoders } from '@/node/encoders';
import { ffmpegVersion } from '@/node/ffmpeg';
import type { Hub } from './hub';

/** Which encoders work here: tried once after a start, and known from then on for as long as FFmpeg stays the same. */
export class Encoders {
  states: readonly EncoderState[] = [];

  constructor(
    private readonly dataFolder: string,
    private readonly hub: Pick<Hub, 'send'>,
  ) {}

  async look(signal: AbortSignal): Promise<void> {
    this.states = await tryEncoders(path.join(this.dataFolder, 'encoders.json'), ffmpegVersion(), signal);
    this.hub.send({ type: 'encoders', encoders: [...this.states] });
  }

  /** Encoders of hardware that work here. */
  get hardware(): HardwareName[] {
    return workingHardware(this.states);
  }

  /** What is known not to work is refused before it is queued. @throws WorkError `encoder-missing`. */
  require(plan: EncodePlan): void {
    for (const name of encodersOf(plan)) {
      const found = this.states.find((e) => e.name === name);
      if (found && !found.works)
        throw new WorkError('encoder-missing', `${name} can not be encoded on this machine: ${found.reason ?? ''}`);
    }
  }
}
