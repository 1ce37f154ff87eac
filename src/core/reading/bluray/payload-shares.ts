import { unlessDamaged, type ByteSource } from '../../bytes';
import { SOURCE_PACKET, TransportDemux } from '../../streams';

/** Windows looked at along a clip: enough to tell how its bytes are shared out between its streams. */
const WINDOWS = 6;
const WINDOW_BYTES = 1024 * SOURCE_PACKET;

/**
 * Samples how much of a clip each of its streams makes up, without packet heads and stuffing.
 * @returns share of the clip's bytes by PID; empty where nothing could be read.
 */
export async function payloadShares(source: ByteSource, pids: readonly number[]): Promise<Map<number, number>> {
  const counted = new Map<number, number>();
  const demux = new TransportDemux({
    transport: (pid, _data, from, to) => {
      counted.set(pid, (counted.get(pid) ?? 0) + to - from);
    },
    scrambled: () => undefined,
  });
  for (const pid of pids) demux.want(pid);
  const whole = source.sizeBytes <= WINDOWS * WINDOW_BYTES;
  const places = whole ? [0] : Array.from({ length: WINDOWS }, (_, i) => ((source.sizeBytes - WINDOW_BYTES) * (i + 0.5)) / WINDOWS);
  const data = new Uint8Array(whole ? source.sizeBytes : WINDOW_BYTES);
  let seen = 0;
  for (const place of places) {
    const got = await unlessDamaged(source.read(Math.floor(place / SOURCE_PACKET) * SOURCE_PACKET, data), 0);
    const bytes = got - (got % SOURCE_PACKET);
    demux.restart();
    demux.feed(data, 0, bytes);
    seen += bytes;
  }
  return new Map(seen === 0 ? [] : [...counted].map(([pid, bytes]) => [pid, bytes / seen]));
}
