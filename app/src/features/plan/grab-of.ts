import type { Grab, Handle } from '../../ui/handles';
import type { Drawn } from './drag';
import type { PlanDraft } from './use-plan';

/** What a drawing of the plan lets one drag: shown while the finger moves, kept when it lets go. */
export function grabOf(draft: PlanDraft, handles: readonly Handle[], change: (id: string, x: number, y: number) => Partial<Drawn>, chosenId: string | null, onChoose: (id: string) => void): Grab {
  return {
    handles,
    step: 0.05,
    chosenId,
    onChoose,
    onMove: (id, x, y) => draft.show(change(id, x, y)),
    onDrop: (id, x, y) => draft.keep(`${id.replace(':', ' ')} moved`, change(id, x, y)),
  };
}
