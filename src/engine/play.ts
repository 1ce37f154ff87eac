import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { pipeline } from 'node:stream/promises';
import { playsInPage } from '@/core/recipes';
import { WorkError, type Output, type PlayQuery } from '@/contract';
import type { Players } from './players';
import { fileInput } from '@/node/ffmpeg';
import { startBothViews, viewsInFile } from '@/node/play-both';
import { startProgram, type RunningProgram } from '@/node/program';

/** Sends a byte range of a file, as a seeking player asks for it (RFC 9110 section 14). */
export async function sendFile(file: string, type: string, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const { size } = await stat(file);
  const range = /^bytes=(\d*)-(\d*)$/.exec(request.headers.range ?? '');
  let start = 0;
  let end = size - 1;
  if (range) {
    if (range[1]) {
      start = Number(range[1]);
      if (range[2]) end = Math.min(end, Number(range[2]));
    } else if (range[2]) start = Math.max(0, size - Number(range[2]));
    if (start > end) {
      response.writeHead(416, { 'content-range': `bytes */${size}` }).end();
      return;
    }
  }
  const headers = {
    'content-type': type,
    'accept-ranges': 'bytes',
    'content-length': String(end - start + 1),
    'cache-control': 'no-store',
  };
  response.writeHead(range ? 206 : 200, range ? { ...headers, 'content-range': `bytes ${start}-${end}/${size}` } : headers);
  await pipeline(createReadStream(file, { start, end, highWaterMark: 256 * 1024 }), response).catch(() => undefined); // the player went away
}

/** What browsers play, as it is made. */
const PLAYED = [
  ...['-c:v', 'libx264', '-preset', 'ultrafast', '-crf', '23', '-pix_fmt', 'yuv420p', '-g', '50'],
  ...['-c:a', 'aac', '-ac', '2', '-b:a', '128k'],
  ...['-movflags', 'frag_keyframe+empty_moov+default_base_moof', '-f', 'mp4', 'pipe:1'],
];

/**
 * Plays a result in the page: an access copy as it is, a master turned into something a browser plays, on the fly and
 * from any moment, only as fast as it is watched.
 */
export async function play(
  file: string,
  output: Output,
  query: PlayQuery,
  request: IncomingMessage,
  response: ServerResponse,
  players: Players,
): Promise<void> {
  if (output.presence === 'missing') throw new WorkError('not-known', `${output.path} is not there any more`);
  if (output.sizeBytes === 0) throw new WorkError('not-known', `${output.path} is empty: there is nothing to play`);
  const type = playsInPage(output.sidecar);
  if (type) {
    await sendFile(file, type, request, response);
    return;
  }
  const start = Math.min(query.start, output.sidecar.promise.durationMs / 1000);
  const shape = output.sidecar.promise.interlaced
    ? 'bwdif=mode=send_frame:deint=interlaced,scale=iw*sar:ih,setsar=1'
    : 'scale=iw*sar:ih,setsar=1';
  const tracks = ['-map', '0:v:0', '-map', `0:a:${query.audio}?`];
  const { eyes } = query;
  const views = eyes === 'first' ? null : await viewsInFile(file);
  const controller = new AbortController();
  const leave = players.enter(response, () => {
    controller.abort();
  });
  const { signal } = controller;
  try {
    if (views && eyes !== 'first') {
      const lengthMs = output.sidecar.promise.durationMs - start * 1000;
      const wish = { eyes, startMs: start * 1000, lengthMs, filters: shape, output: [...tracks, ...PLAYED] };
      const { program, fed } = startBothViews(file, views, wish, signal);
      fed.catch(program.stop);
      await sendPlayed(program, response);
      return;
    }
    const from = ['-hide_banner', '-nostdin', '-loglevel', 'error', '-ss', start.toFixed(3), ...fileInput(file)];
    const program = startProgram('ffmpeg', [...from, ...tracks, '-vf', shape, ...PLAYED], { signal });
    program.closeInput();
    await sendPlayed(program, response);
  } finally {
    leave();
  }
}

/** Sends what a player makes for as long as the page watches it, and ends it. */
export async function sendPlayed(program: RunningProgram, response: ServerResponse): Promise<void> {
  response.writeHead(200, { 'content-type': 'video/mp4', 'cache-control': 'no-store' });
  await pipeline(program.stdout, response).catch(() => undefined); // the page was left: nothing to say to anybody
  program.stop();
  await program.end.catch(() => undefined);
}
