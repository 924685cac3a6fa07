import { runningSetup } from '@mesure/contract';
import { useAll } from '../../data';
import { useIsWide } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Page, Split } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';
import { DayBoard } from './day/day-board';
import { SetupBoard } from './day/setup-board';

/** Floor: the day's setups with what each still lacks, and the takes of the one that is open. */
export function FloorScreen({ setupId }: { setupId: string | null }) {
  const wide = useIsWide();
  const takes = useAll('take');
  const setups = useAll('setup').sort((a, b) => a.body.order - b.body.order);
  const running = runningSetup(setups, takes);
  const open = setups.find((s) => s.id === (setupId ?? (wide ? running?.id : null)));
  return (
    <RecordsGate what="the day">
      <Split
        showDetail={setupId !== null}
        list={<DayBoard setups={setups} running={running} selectedId={open?.id ?? null} />}
        detail={
          open ? (
            <SetupBoard key={open.id} setup={open} />
          ) : (
            <Page>
              <Empty title="No such setup" text="Choose another one from the day." />
            </Page>
          )
        }
      />
    </RecordsGate>
  );
}
