import { useState } from 'react';
import { deliveredFrameAt, fps, lowBitsPerPixel, type RenderPlan } from '@mivvy/core';
import { useSharpen } from '../../../api/changes.ts';
import { joined } from '../../../parts/joined.ts';
import { SharpenChoice } from '../../../parts/sharpen-choice.tsx';
import type { Planned } from '../../../parts/versions.ts';
import { useFraming, useShotEditor } from '../framing-session.tsx';
import { TestStrip } from '../strip/test-strip.tsx';

/** Bits of picture that a rate leaves for a pixel and frame; null where a quality is asked for, and the film decides. */
function bitsPerPixel({ video, frame, rate }: RenderPlan): number | null {
  if (video.rate.mode !== 'two-pass') return null;
  return (video.rate.targetKbps * 1000) / (frame.width * frame.height * fps(rate));
}

/** How far the picture is sharpened, and a strip to see what comes of it before the whole film is made. */
export function SharpenSentence({ planned }: { planned: Planned }) {
  const { version } = useFraming();
  const { unit, at } = useShotEditor();
  const sharpen = useSharpen();
  const [from, setFrom] = useState<number | null>(null);
  const { plan } = planned.planned;
  const bits = bitsPerPixel(plan);
  return (
    <p>
      {bits !== null && bits < lowBitsPerPixel && (
        <>Its rate leaves {bits.toFixed(3)} bits a pixel, which softens a busy picture. </>
      )}
      The picture is{' '}
      <SharpenChoice
        label="Sharpening"
        value={version.sharpen}
        onChange={(next) => sharpen.mutate({ versionId: version.id, sharpen: next })}
      />
      .{' '}
      <button className="fix" onClick={() => setFrom(deliveredFrameAt(plan, unit.from + at) ?? 0)}>
        Try it on a test strip
      </button>
      {joined}.
      {from !== null && <TestStrip version={version} plan={plan} from={from} onClose={() => setFrom(null)} />}
    </p>
  );
}
