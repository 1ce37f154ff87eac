import { openFileSource } from '@/node/files';
import { openImage } from '@/core/volume';
import { readDisc } from '@/core/reading';
for (const f of process.argv.slice(2)) {
  const t=performance.now();
  const r = await readDisc(await openImage(await openFileSource(f)));
  console.log(f, performance.now()-t, r.label, r.fileSystem, r.fingerprint, JSON.stringify(r.routes), JSON.stringify(r.remarks));
  for (const t of r.titles) console.log(t.number, t.state, t.durationMs, t.sizeBytes, JSON.stringify(t.chapters.map(c=>[c.startMs,c.durationMs,c.firstPart])), JSON.stringify(t.parts.map(p=>p.segment)), JSON.stringify(t.video), JSON.stringify(t.audio), JSON.stringify(t.subtitles));
}
