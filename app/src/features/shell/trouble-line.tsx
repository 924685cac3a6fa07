import { useEffect } from 'react';
import { View } from 'react-native';
import { useTrouble } from '../../data';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

/** Said as long as something is in this page only; the browser asks before such a page is closed. */
export function TroubleLine() {
  const p = usePalette();
  const trouble = useTrouble();
  const unkept = trouble?.unkept ?? 0;
  useEffect(() => {
    if (unkept === 0) return undefined;
    const ask = (e: BeforeUnloadEvent) => e.preventDefault();
    window.addEventListener('beforeunload', ask);
    return () => window.removeEventListener('beforeunload', ask);
  }, [unkept]);
  if (!trouble) return null;
  return (
    <View role="alert" testID="trouble" style={{ backgroundColor: p.raised, borderBottomWidth: 1, borderColor: p.line, paddingHorizontal: SPACE.l, paddingVertical: SPACE.xs }}>
      <Words look="small" color={p.against}>
        {`▲ ${trouble.why} ${
          unkept === 0
            ? 'What you enter is sent, and not kept here.'
            : `${unkept === 1 ? 'One entry is' : `${unkept} entries are`} in this page only: leave it open until all is sent, and make room on the phone.`
        }`}
      </Words>
    </View>
  );
}
