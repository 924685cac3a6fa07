import type { ErrorBoundaryProps } from 'expo-router';
import { View } from 'react-native';
import { Failing } from '../../ui/states';
import { SPACE, Theme } from '../../ui/theme';

/** What a person sees when a screen breaks: never a white page, and what is safe. */
export function Crash({ error, retry }: ErrorBoundaryProps) {
  return (
    <Theme>
      <View style={{ padding: SPACE.l }}>
        <Failing title="This screen failed" text={`${error.message} What was entered is kept on this device and on the server.`} action={{ title: 'Try again', onPress: () => void retry() }} />
      </View>
    </Theme>
  );
}
