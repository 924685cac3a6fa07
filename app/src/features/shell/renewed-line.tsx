import { useEffect, useState } from 'react';
import { View } from 'react-native';
import { useStore } from 'zustand';
import { isTyping, renewedStore } from '../../data';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

const LOOK_MS = 1000;

/** Asks for a reload after the server was renewed, and not while somebody types. */
export function RenewedLine() {
  const p = usePalette();
  const renewed = useStore(renewedStore, (s) => s.renewed);
  const [free, setFree] = useState(false);
  useEffect(() => {
    if (!renewed) return undefined;
    const look = () => setFree(!isTyping());
    look();
    const timer = setInterval(look, LOOK_MS);
    return () => clearInterval(timer);
  }, [renewed]);
  if (!renewed || !free) return null;
  return (
    <View style={{ flexDirection: 'row', alignItems: 'center', paddingLeft: SPACE.l, borderBottomWidth: 1, borderColor: p.line, backgroundColor: p.raised }} testID="renewed">
      <Words look="small" role="status" style={{ flex: 1 }}>
        There is a newer version. What waits here and what is half typed stays.
      </Words>
      <Action kind="quiet" icon="refresh" title="Load it" onPress={() => location.reload()} testID="load-newer" />
    </View>
  );
}
