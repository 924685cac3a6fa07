import type { PropsWithChildren } from 'react';
import { ScrollView, View } from 'react-native';
import Svg, { Line, Rect } from 'react-native-svg';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

/** The page before one is inside: a piece of tape, a title, what it is about, and a form. */
export function Door({ title, text, children }: PropsWithChildren<{ title: string; text: string }>) {
  const p = usePalette();
  return (
    <ScrollView style={{ flex: 1, backgroundColor: p.paper }} contentContainerStyle={{ flexGrow: 1, justifyContent: 'center', padding: SPACE.l }}>
      <View role="main" style={{ width: '100%', maxWidth: 420, alignSelf: 'center', gap: SPACE.s }}>
        <Svg width={200} height={26} viewBox="0 0 200 26" aria-hidden>
          <Rect x={0} y={0} width={200} height={26} fill={p.tape} />
          {Array.from({ length: 41 }, (_, i) => (
            <Line key={i} x1={i * 5} x2={i * 5} y1={0} y2={i % 10 === 0 ? 18 : i % 5 === 0 ? 13 : 8} stroke={p.onTape} strokeWidth={i % 10 === 0 ? 2 : 1} />
          ))}
        </Svg>
        <Words look="title" level={1}>
          {title}
        </Words>
        <Words dim>{text}</Words>
        <View style={{ height: SPACE.m }} />
        {children}
      </View>
    </ScrollView>
  );
}
