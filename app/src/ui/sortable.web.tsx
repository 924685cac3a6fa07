import { closestCenter, DndContext, KeyboardSensor, PointerSensor, useSensor, useSensors, type DragEndEvent } from '@dnd-kit/core';
import { SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable';
import { View } from 'react-native';
import { Icon } from './controls';
import type { SortableProps } from './sortable';
import { SortableWords } from './sortable-words';
import { TOUCH_PX, usePalette } from './theme';

/** Below this a touch is a tap or the page's scrolling. */
const DRAG_FROM_PX = 4;

/** A list that is put in order by dragging; by keys: space takes and drops, the arrows move, escape puts back. */
export function Sortable({ label, items, onMove }: SortableProps) {
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: DRAG_FROM_PX } }), useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }));
  const titleOf = (id: unknown) => items.find((i) => i.id === id)?.title ?? '';
  const placeOf = (id: unknown) => items.findIndex((i) => i.id === id) + 1;
  const end = ({ active, over }: DragEndEvent) => {
    if (over && over.id !== active.id) onMove(String(active.id), placeOf(over.id) - 1);
  };
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={end}
      accessibility={{
        screenReaderInstructions: { draggable: 'Space takes it up, the arrow keys move it, space puts it down, escape puts it back.' },
        announcements: {
          onDragStart: ({ active }) => `${titleOf(active.id)} is taken up, ${placeOf(active.id)} of ${items.length}.`,
          onDragOver: ({ active, over }) => (over ? `${titleOf(active.id)} is at ${placeOf(over.id)} of ${items.length}.` : `${titleOf(active.id)} is outside the list.`),
          onDragEnd: ({ active, over }) => `${titleOf(active.id)} is put down${over ? ` at ${placeOf(over.id)} of ${items.length}` : ''}.`,
          onDragCancel: ({ active }) => `${titleOf(active.id)} is back where it was.`,
        },
      }}
    >
      <SortableContext items={items.map((i) => i.id)} strategy={verticalListSortingStrategy}>
        <View role="list" aria-label={label}>
          {items.map((item) => (
            <Item key={item.id} item={item} />
          ))}
        </View>
      </SortableContext>
    </DndContext>
  );
}

function Item({ item }: { item: SortableProps['items'][number] }) {
  const p = usePalette();
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } = useSortable({ id: item.id });
  return (
    <div
      ref={setNodeRef}
      role="listitem"
      data-testid={`sort-${item.title}`}
      style={{
        display: 'flex',
        alignItems: 'center',
        borderBottom: `1px solid ${p.line}`,
        background: isDragging ? p.raised : p.paper,
        transform: transform ? `translate(0px, ${transform.y}px)` : undefined,
        transition,
        position: 'relative',
        zIndex: isDragging ? 1 : 0,
      }}
    >
      <button
        type="button"
        ref={setActivatorNodeRef}
        {...attributes}
        {...listeners}
        role="button"
        aria-label={`Move ${item.title}`}
        style={{
          width: TOUCH_PX,
          minHeight: TOUCH_PX + 8,
          border: 0,
          background: 'transparent',
          display: 'flex',
          alignItems: 'center',
          justifyContent: 'center',
          cursor: isDragging ? 'grabbing' : 'grab',
          // the finger drags from here and scrolls from everywhere else
          touchAction: 'none',
        }}
      >
        <Icon name="drag-handle" color={p.dim} />
      </button>
      <SortableWords {...item} />
    </div>
  );
}
