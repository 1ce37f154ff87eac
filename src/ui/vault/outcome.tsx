import type { Output } from '@/contract';
import { bytes, plural, timeLeft } from '../format';
import { PlaysOn } from '../parts/plays-on';
import { Section } from './section';

/** What came of making a copy: size and time against what was said, nearness to the master, and where it plays. */
export function OutcomeOf({ output }: { output: Output }) {
  const { outcome, promise, file } = output.sidecar;
  if (!outcome) return null;
  const { nearness, shape, estimatedBytes, tookMs } = outcome;
  const off = estimatedBytes > 0 ? Math.round((100 * (file.sizeBytes - estimatedBytes)) / estimatedBytes) : null;
  const cell = 'text-second';
  return (
    <Section name="Outcome">
      <dl className="grid grid-cols-[84px_minmax(0,1fr)] gap-x-2">
        <dt className={cell}>size</dt>
        <dd>
          {bytes(file.sizeBytes)}
          {off !== null && (
            <span className="text-second">, {off === 0 ? 'as' : `${Math.abs(off)} % ${off > 0 ? 'more' : 'less'} than`} was expected</span>
          )}
        </dd>
        <dt className={cell}>encoding</dt>
        <dd>
          {tookMs === null ? (
            <span className="text-second">gone on with after a stop</span>
          ) : (
            <>
              {timeLeft(tookMs / 1000)}, {(promise.durationMs / Math.max(1, tookMs)).toFixed(1)} times the film
            </>
          )}
        </dd>
        {nearness && (
          <>
            <dt className={cell}>nearness</dt>
            <dd title="To the master after all treatments, by stretches spread over all of it">
              SSIM {nearness.ssim.toFixed(4)}, worst picture {nearness.worstSsim.toFixed(4)}, PSNR {nearness.psnrDb.toFixed(1)} dB
              <span className="text-second"> of {plural(nearness.frames, 'picture')}</span>
            </dd>
          </>
        )}
      </dl>
      {shape && (
        <div className="pt-1.5">
          <PlaysOn shape={shape} />
        </div>
      )}
    </Section>
  );
}
