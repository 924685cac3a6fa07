import { ActivityIndicator, View } from 'react-native';
import { Action, Icon, Progress, type IconName } from './controls';
import { Words } from './text';
import { SPACE, usePalette } from './theme';

function Notice({ icon, title, text, action }: { icon: IconName; title: string; text: string; action?: { title: string; onPress: () => void } }) {
  const p = usePalette();
  return (
    <View style={{ borderWidth: 1, borderStyle: 'dashed', borderColor: p.line, borderRadius: 6, padding: SPACE.l, gap: SPACE.s, marginVertical: SPACE.m }}>
      <View style={{ flexDirection: 'row', gap: SPACE.s, alignItems: 'center' }}>
        <Icon name={icon} />
        <Words look="heading">{title}</Words>
      </View>
      <Words look="body" dim>
        {text}
      </Words>
      {action ? <Action title={action.title} onPress={action.onPress} /> : null}
    </View>
  );
}

export const Empty = (props: { title: string; text: string; action?: { title: string; onPress: () => void } }) => <Notice icon="straighten" {...props} />;

/** Says what failed and what is safe. */
export const Failing = (props: { title: string; text: string; action?: { title: string; onPress: () => void } }) => (
  <View role="alert">
    <Notice icon="report-problem" {...props} />
  </View>
);

export function Loading({ what }: { what: string }) {
  const p = usePalette();
  return (
    <View style={{ padding: SPACE.xl, gap: SPACE.m, alignItems: 'center' }} role="status">
      <ActivityIndicator color={p.tape} accessibilityLabel={`Loading ${what}`} />
      <Words dim>{`Loading ${what} …`}</Words>
    </View>
  );
}

/** The server does not say how things are: what stands here is from before, or nothing is known. */
export function KnownOnly({ known, there, what }: { known: string; there: boolean; what: string }) {
  return (
    <Words role="status" testID="known-only" look="small">
      {there ? `○ Without a line to the server: ${what} is ${known}.` : `○ Of ${what} nothing is ${known}.`}
    </Words>
  );
}

/** Long work: what it does, how far it is, and a way to stop it. */
export function Working({ what, share, onStop }: { what: string; share: number; onStop: () => void }) {
  return (
    <View style={{ gap: SPACE.s, marginVertical: SPACE.m }}>
      <Progress fraction={share} label={what} />
      <Action kind="quiet" icon="close" title="Stop" onPress={onStop} testID="stop-work" />
    </View>
  );
}
