import type { ReactNode } from 'react';
import { useRecordsState } from '../../data';
import { Failing, Loading } from '../../ui/states';
import { Page } from './pane';

/** Shows a place only when its records are here: before that, that they load; when they cannot be had, what is safe and a way on. */
export function RecordsGate({ what, children }: { what: string; children: ReactNode }) {
  const status = useRecordsState((s) => s.status);
  const error = useRecordsState((s) => s.error);
  const refresh = useRecordsState((s) => s.refresh);
  if (status === 'loading') return <Loading what={what} />;
  if (status === 'ready') return <>{children}</>;
  return (
    <Page>
      <Failing
        title={`${what.charAt(0).toUpperCase()}${what.slice(1)} could not be loaded`}
        text={`${error ?? ''} What was entered on this device is safe.`}
        action={{ title: 'Try again', onPress: () => void refresh() }}
      />
    </Page>
  );
}
