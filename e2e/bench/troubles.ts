import { hiddenKeeps } from '../../packages/core/src/index.ts';
import { eightShapes, median, type Bench } from './kit.ts';

/** Troubles of 8 versions of ten minutes with 12 keeps; every so manyth shot is a moving one, the others hold. */
export function troublesSpeed({ say }: Bench, everyNth: number): void {
  const frames = 15_000;
  const master = { width: 1920, height: 1080 };
  const framing = {
    version: 1 as const,
    stretches: Array.from({ length: 150 }, (_, i) => ({
      from: i * 100,
      move:
        i % everyNth
          ? { kind: 'hold' as const, pose: { x: 0.2 + (i % 7) / 10, y: 0.5, zoom: 1 } }
          : {
              kind: 'glide' as const,
              a: { x: 0.2 + (i % 7) / 10, y: 0.5, zoom: 1 },
              b: { x: 0.7 - (i % 5) / 10, y: 0.5, zoom: 1.2 },
              start: 5,
              end: 90,
              ease: 'soft' as const,
            },
    })),
  };
  const keeps = Array.from({ length: 12 }, (_, i) => ({
    id: `k${i}`,
    name: `Keep ${i}`,
    kind: 'face' as const,
    span: { from: 0, to: frames },
    keys: [{ at: 0, x: i / 15, y: 0.3, width: 0.1, height: 0.2 }],
  }));
  const run = () =>
    eightShapes.map(
      ([width, height]) =>
        hiddenKeeps(framing, keeps, { from: 0, to: frames }, master, {
          frameSize: { width, height },
          blocked: [{ name: 'b', x: 0.86, y: 0.45, width: 0.14, height: 0.38 }],
          margins: { top: 0.05, right: 0.05, bottom: 0.05, left: 0.05 },
        }).length,
    );
  run();
  const times = Array.from({ length: 7 }, () => {
    const started = performance.now();
    run();
    return performance.now() - started;
  });
  say(
    `troubles of 8 versions × 10 minutes × 12 keeps, ${everyNth === 1 ? 'every shot moving' : `one shot in ${everyNth} moving`} ÷ the limit of 50 ms: median ${(median(times) / 50).toFixed(2)}; one version after a change: ${(median(times) / 50 / 8).toFixed(2)}`,
  );
}
