import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core';
import {
  horizontalListSortingStrategy,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
} from '@dnd-kit/sortable';
import { CSS } from '@dnd-kit/utilities';
import { durationLabel, frameToSeconds, middleOfSpan, spanLength, type FrameSpan } from '@mivvy/core';
import type { Master } from '@mivvy/api';
import { useStill } from '../../parts/stills.ts';

const idOf = (s: FrameSpan) => `${s.from}`;

function Card({
  master,
  span,
  index,
  on,
  late,
  onGo,
}: {
  master: Master;
  span: FrameSpan;
  index: number;
  on: boolean;
  late: boolean;
  onGo: () => void;
}) {
  const { attributes, listeners, setNodeRef, transform, transition } = useSortable({ id: idOf(span) });
  const still = useStill(master.id, master.fileGeneration, middleOfSpan(span));
  const { rate } = master.facts!.video;
  const length = spanLength(span);
  return (
    <li ref={setNodeRef} style={{ transform: CSS.Translate.toString(transform), transition }}>
      <button
        {...attributes}
        {...listeners}
        className={on ? 'on' : ''}
        onClick={onGo}
        aria-label={`Span ${index + 1}, ${durationLabel(frameToSeconds(length, rate))}${late ? ', out of the film’s order' : ''}`}
      >
        <span className="still" style={{ backgroundImage: still }} />
        <span>
          <b>{index + 1}</b>
          {late && ' ↤'}{' '}
          <span className="mono">
            {length < 25 ? `${length} f` : durationLabel(frameToSeconds(length, rate))}
          </span>
        </span>
      </button>
    </li>
  );
}

/** The kept spans in the order in which they play, to be dragged into another. */
export function RunningOrder({
  master,
  kept,
  chosen,
  onGo,
  onMove,
}: {
  master: Master;
  kept: readonly FrameSpan[];
  chosen: number | null;
  onGo: (index: number) => void;
  onMove: (from: number, to: number) => void;
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 6 } }),
    useSensor(KeyboardSensor, {
      coordinateGetter: sortableKeyboardCoordinates,
      keyboardCodes: { start: ['Enter'], cancel: ['Escape'], end: ['Enter'] },
    }),
  );
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={({ active, over }) => {
        const [from, to] = [active.id, over?.id].map((id) => kept.findIndex((s) => idOf(s) === id));
        if (over && from !== to) onMove(from!, to!);
      }}
    >
      <SortableContext items={kept.map(idOf)} strategy={horizontalListSortingStrategy}>
        <ol className="order" aria-label="Running order">
          {kept.map((span, i) => (
            <Card
              key={idOf(span)}
              master={master}
              span={span}
              index={i}
              on={chosen === i}
              late={i > 0 && span.from < kept[i - 1]!.from}
              onGo={() => onGo(i)}
            />
          ))}
        </ol>
      </SortableContext>
    </DndContext>
  );
}
