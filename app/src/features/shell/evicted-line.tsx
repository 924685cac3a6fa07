import { View } from 'react-native';
import { dismissEvicted, useClock, useEvicted } from '../../data';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

/** Said when the browser has taken away what waited here, until somebody has seen it. */
export function EvictedLine() {
  const p = usePalette();
  const clock = useClock();
  const evicted = useEvicted();
  if (!evicted) return null;
  const { count, at } = evicted;
  return (
    <View role="alert" testID="evicted" style={{ backgroundColor: p.raised, borderBottomWidth: 1, borderColor: p.line, paddingHorizontal: SPACE.l, paddingVertical: SPACE.xs }}>
      <Words look="small" color={p.against}>
        {`▲ This browser has removed what it kept here. At ${clock.stamp(at)} ${count === 1 ? 'one entry or picture' : `${count} entries or pictures`} of this device had not been sent. Look whether ${count === 1 ? 'it is' : 'they are'} in the film, and enter what is not there again. On the home screen, or with more room on the device, a browser seldom does this.`}
      </Words>
      <View style={{ alignItems: 'flex-start', marginLeft: -SPACE.m }}>
        <Action kind="quiet" icon="check" title="I have looked" onPress={dismissEvicted} testID="evicted-seen" />
      </View>
    </View>
  );
}
