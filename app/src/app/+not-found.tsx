import { useRouter } from 'expo-router';
import { View } from 'react-native';
import { Failing } from '../ui/states';
import { SPACE } from '../ui/theme';

export default function NotFoundScreen() {
  const router = useRouter();
  return (
    <View style={{ padding: SPACE.l }}>
      <Failing title="Nothing here" text="This address leads nowhere. Your entries are safe." action={{ title: 'Go to Floor', onPress: () => router.replace('/floor') }} />
    </View>
  );
}
