/** Encoders that are built into graphics hardware, by what FFmpeg calls them. Which of them work here, only a trial says. */

export const HARDWARE = ['NVENC', 'QSV', 'VAAPI'] as const;
export type Hardware = (typeof HARDWARE)[number];
type HardwareCodec = 'H.264' | 'HEVC' | 'HEVC, 10 bit';
/** An encoder of hardware as it is tried and told of. */
export type HardwareName = `${Hardware} ${HardwareCodec}`;

export const HARDWARE_ENCODER: Readonly<Record<HardwareName, string>> = {
  'NVENC H.264': 'h264_nvenc',
  'NVENC HEVC': 'hevc_nvenc',
  'NVENC HEVC, 10 bit': 'hevc_nvenc',
  'QSV H.264': 'h264_qsv',
  'QSV HEVC': 'hevc_qsv',
  'QSV HEVC, 10 bit': 'hevc_qsv',
  'VAAPI H.264': 'h264_vaapi',
  'VAAPI HEVC': 'hevc_vaapi',
  'VAAPI HEVC, 10 bit': 'hevc_vaapi',
};
export const HARDWARE_NAMES = Object.keys(HARDWARE_ENCODER) as readonly HardwareName[];

/** Those that were found to work. */
export const workingHardware = (states: readonly { readonly name: string; readonly works: boolean }[]): HardwareName[] =>
  HARDWARE_NAMES.filter((name) => states.some((e) => e.name === name && e.works));
