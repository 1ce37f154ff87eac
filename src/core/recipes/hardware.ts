import type { EncodePlan } from './encode-plan';
import { HARDWARE_ENCODER, type Hardware, type HardwareName } from './hardware-names';
import type { Effort } from './recipe';

/** What FFmpeg is told where hardware encodes a picture. */

/** The first of the machine's graphics devices (Linux, Direct Rendering Manager). */
const DEVICE = '/dev/dri/renderD128';

/** What stands before the inputs. */
export const deviceArguments = (hardware: Hardware | null): string[] => (hardware === 'VAAPI' ? ['-vaapi_device', DEVICE] : []);

/** What pictures go through last: this kind takes them from its own memory. */
export const uploadFilter = (hardware: Hardware | null, bitDepth: 8 | 10): string =>
  hardware === 'VAAPI' ? `format=${bitDepth === 10 ? 'p010le' : 'nv12'},hwupload` : '';

const NVENC_PRESET: Readonly<Record<Effort, string>> = { little: 'p2', medium: 'p5', much: 'p7' };
const QSV_PRESET: Readonly<Record<Effort, string>> = { little: 'veryfast', medium: 'medium', much: 'veryslow' };

/** How a picture is encoded by hardware: by quality on the scale of its codec, or by rate in one pass. */
export function hardwareArguments({ video }: EncodePlan, hardware: Hardware): string[] {
  const { codec, quality, rate, recipe, bitDepth } = video;
  const name = `${hardware} ${codec}` as HardwareName;
  const encoder = ['-c:v:0', HARDWARE_ENCODER[name], ...(codec === 'H.264' ? [] : ['-tag:v:0', 'hvc1'])];
  const profile = ['-profile:v:0', codec === 'H.264' ? 'high' : bitDepth === 10 ? 'main10' : 'main'];
  const bounds = rate
    ? ['-b:v:0', `${rate.kbps}k`, '-maxrate:v:0', `${Math.round(rate.kbps * 1.5)}k`, '-bufsize:v:0', `${rate.kbps * 2}k`]
    : [];
  const q = String(Math.round(quality ?? 23));
  switch (hardware) {
    case 'NVENC': {
      const how = rate ? ['-rc:v:0', 'vbr', ...bounds] : ['-rc:v:0', 'vbr', '-cq:v:0', q, '-b:v:0', '0'];
      return [
        ...encoder,
        '-pix_fmt:v:0',
        bitDepth === 10 ? 'p010le' : 'yuv420p',
        '-preset:v:0',
        NVENC_PRESET[recipe.effort],
        ...how,
        ...profile,
      ];
    }
    case 'QSV': {
      const how = rate ? bounds : ['-global_quality:v:0', q];
      return [
        ...encoder,
        '-pix_fmt:v:0',
        bitDepth === 10 ? 'p010le' : 'nv12',
        '-preset:v:0',
        QSV_PRESET[recipe.effort],
        ...how,
        ...profile,
      ];
    }
    case 'VAAPI':
      return [...encoder, ...(rate ? ['-rc_mode:v:0', 'VBR', ...bounds] : ['-rc_mode:v:0', 'CQP', '-qp:v:0', q]), ...profile];
  }
}
