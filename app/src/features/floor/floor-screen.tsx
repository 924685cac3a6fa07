import { useRouter } from 'expo-router';
import { runningSetup } from '@mesure/contract';
import { useAll } from '../../data';
import { useDaySetups, useDayTakes } from '../days/use-day';
import { useIsWide } from '../../ui/controls';
import { Empty } from '../../ui/states';
import { Page, Split } from '../shell/pane';
import { RecordsGate } from '../shell/records-gate';
import { DayBoard } from './day/day-board';
import { SetupBoard } from './day/setup-board';

/** Floor: the day's setups with what each still lacks, and the takes of the one that is open. */
export function FloorScreen({ setupId }: { setupId: string | null }) {
  const router = useRouter();
  const wide = useIsWide();
  const takes = useDayTakes();
  const setups = useDaySetups();
  const all = useAll('setup');
  const running = runningSetup(setups, takes);
  // an address leads to its setup, on whatever day it is
  const open = all.find((s) => s.id === (setupId ?? (wide ? running?.id : null)));
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
              {setupId ? (
                <Empty
                  title="No such setup"
                  text="It was hidden, or belongs to another production. Choose another one from the day."
                  action={{ title: 'Go to the day', onPress: () => router.replace('/floor') }}
                />
              ) : (
                <Empty title="No setup yet" text="Open the first one; its takes, ties and light stand here." />
              )}
            </Page>
          )
        }
      />
    </RecordsGate>
  );
}
