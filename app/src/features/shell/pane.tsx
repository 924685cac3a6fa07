import type { ReactNode } from 'react';
import { ScrollView, View } from 'react-native';
import { useIsWide } from '../../ui/controls';
import { SPACE, usePalette } from '../../ui/theme';

/** Where the main action of a page is, for the key that presses it. */
export const MAIN_ACTION = 'main-action';

/** A scrolling page with its one main action in the thumb's reach below. */
export function Page({ children, action }: { children: ReactNode; action?: ReactNode }) {
  const p = usePalette();
  return (
    <View style={{ flex: 1, minHeight: 0 }}>
      <ScrollView style={{ flex: 1 }} contentContainerStyle={{ padding: SPACE.l, paddingBottom: SPACE.xl, width: '100%', maxWidth: 980, alignSelf: 'center' }}>
        {children}
      </ScrollView>
      {action ? (
        <View nativeID={MAIN_ACTION} style={{ padding: SPACE.m, borderTopWidth: 1, borderColor: p.line, backgroundColor: p.paper }}>
          <View style={{ width: '100%', maxWidth: 520, alignSelf: 'center' }}>{action}</View>
        </View>
      ) : null}
    </View>
  );
}

/** List beside the work on a wide screen; one of the two on the phone. */
export function Split({ list, detail, showDetail }: { list: ReactNode; detail: ReactNode; showDetail: boolean }) {
  const p = usePalette();
  const wide = useIsWide();
  if (!wide) return <>{showDetail ? detail : list}</>;
  return (
    <View style={{ flex: 1, flexDirection: 'row', minHeight: 0 }}>
      <View style={{ width: 340, borderRightWidth: 1, borderColor: p.line }}>{list}</View>
      <View style={{ flex: 1, minWidth: 0 }}>{detail}</View>
    </View>
  );
}
