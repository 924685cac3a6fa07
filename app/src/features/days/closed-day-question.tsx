import { useStore } from 'zustand';
import { useClock, useData } from '../../data';
import { Action, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';

/** A change of a day that somebody has signed: asked once, and marked in the handover when it is made. */
export function ClosedDayQuestion() {
  const clock = useClock();
  const { closedDays } = useData();
  const question = useStore(closedDays.store, (s) => s.question);
  if (!question) return null;
  const { name, closed } = question.day.body;
  return (
    <Sheet title={`${name} is closed`} open onClose={() => question.answer(false)}>
      <Words>{`${closed!.by} signed it as complete at ${clock.stamp(closed!.at)}. A change now is marked in the handover as made after that.`}</Words>
      <Action kind="main" title="Change it all the same" onPress={() => question.answer(true)} testID="change-closed" />
      <Action title="Leave it as it was signed" onPress={() => question.answer(false)} testID="leave-closed" />
    </Sheet>
  );
}
