import { useState } from 'react';
import { Circle, Group, Layer as Sheet, Line, Rect, Stage } from 'react-konva';
import { anchored, clamp, deliveredFrameAt, opacityAt, type LaidLayer } from '@mivvy/core';
import { useHeadPart } from '../../play/use-desk.tsx';
import { useChosenBox, useLayers } from './layers-session.tsx';
import { snapBox, snapLines, type Snapped } from './snap.ts';

/** How near something must come to a line to be drawn to it, and how far marks reach beyond a box; screen pixels. */
const nearPixels = 6;
const reach = 9;
const ink = '#7fe0e8';
const shade = 'rgba(10, 14, 16, 0.85)';

/** Registration marks at the corners of a box. */
function Marks({ width, height }: { width: number; height: number }) {
  const ways = [
    [-reach, 0, width + reach, 0],
    [-reach, height, width + reach, height],
    [0, -reach, 0, height + reach],
    [width, -reach, width, height + reach],
  ];
  return ways.flatMap((points, i) => [
    <Line key={`under ${i}`} points={points} stroke={shade} strokeWidth={3} listening={false} />,
    <Line key={i} points={points} stroke={ink} strokeWidth={1} listening={false} />,
  ]);
}

/** The layer at hand: dragged by its box, made larger at its corner, wrapped at its side. */
function Held({
  laid,
  k,
  onGuides,
}: {
  laid: LaidLayer;
  k: number;
  onGuides: (s: Snapped['lines']) => void;
}) {
  const { frameSize, clear, planned, place, resize } = useLayers();
  const { box } = laid.planned;
  const { what, id } = laid.layer;
  const [x, y, width, height] = [box.x * k, box.y * k, box.width * k, box.height * k];
  const others = (planned?.planned.laid ?? []).filter((l) => l !== laid).map((l) => l.planned.box);
  const lines = snapLines(clear, frameSize, others);
  const words = what.kind === 'words';
  const size = words ? what.style.size : 0;
  const sizeBy = (wide: number) => {
    const grown = Math.max(12, wide / k);
    if (words) resize(id, clamp((size * grown) / box.width, 0.015, 0.4));
    else place(id, { width: clamp(grown / clear.width, 0.03, 1) });
  };
  return (
    <>
      <Rect
        x={x}
        y={y}
        width={width}
        height={height}
        fill="rgba(0,0,0,0.001)"
        draggable
        onDragMove={({ target }) => {
          const wanted = { ...box, x: target.x() / k, y: target.y() / k };
          const snapped = snapBox(wanted, lines, nearPixels / k);
          target.position({ x: snapped.x * k, y: snapped.y * k });
          onGuides(snapped.lines);
          place(id, anchored({ ...box, x: snapped.x, y: snapped.y }, frameSize, clear));
        }}
        onDragEnd={() => onGuides({})}
        onMouseEnter={({ target }) => (target.getStage()!.container().style.cursor = 'grab')}
        onMouseLeave={({ target }) => (target.getStage()!.container().style.cursor = '')}
      />
      <Group x={x} y={y}>
        <Marks width={width} height={height} />
        {words && (
          <Rect
            x={width - 3}
            y={height / 2 - 9}
            width={6}
            height={18}
            fill={ink}
            stroke={shade}
            hitStrokeWidth={14}
            draggable
            onDragMove={({ target }) => {
              const wide = Math.max(20, target.x() + 3);
              target.y(height / 2 - 9);
              place(id, { width: clamp(wide / k / clear.width, 0.03, 1) });
            }}
          />
        )}
        <Circle
          x={width}
          y={height}
          radius={5}
          fill={ink}
          stroke={shade}
          hitStrokeWidth={14}
          draggable
          onDragMove={({ target }) => sizeBy(target.x())}
        />
      </Group>
    </>
  );
}

/** What can be taken hold of on a proof: every layer that is seen by a click, the one at hand by its handles. */
export default function Handles({ width, height }: { width: number; height: number }) {
  const { planned, frameSize, choose, chosen } = useLayers();
  const held = useChosenBox();
  const head = useHeadPart('frame');
  const [guides, setGuides] = useState<Snapped['lines']>({});
  const k = width / frameSize.width;
  const plan = planned?.planned.plan;
  const at = plan ? deliveredFrameAt(plan, head) : null;
  const seen = (planned?.planned.laid ?? []).filter((l) => at !== null && opacityAt(l.planned, at) > 0);
  return (
    <Stage width={width} height={height}>
      <Sheet>
        {[...seen]
          .reverse()
          .map((laid) =>
            laid.layer.id === chosen?.id ? null : (
              <Rect
                key={laid.layer.id}
                x={laid.planned.box.x * k}
                y={laid.planned.box.y * k}
                width={laid.planned.box.width * k}
                height={laid.planned.box.height * k}
                fill="rgba(0,0,0,0.001)"
                onMouseDown={() => choose(laid.layer.id)}
                onTouchStart={() => choose(laid.layer.id)}
              />
            ),
          )}
        {guides.x !== undefined && (
          <Line points={[guides.x * k, 0, guides.x * k, height]} stroke={ink} dash={[4, 4]} strokeWidth={1} />
        )}
        {guides.y !== undefined && (
          <Line points={[0, guides.y * k, width, guides.y * k]} stroke={ink} dash={[4, 4]} strokeWidth={1} />
        )}
        {held && <Held laid={held} k={k} onGuides={setGuides} />}
      </Sheet>
    </Stage>
  );
}
