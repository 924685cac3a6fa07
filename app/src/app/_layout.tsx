import { Barlow_500Medium } from '@expo-google-fonts/barlow/500Medium';
import { Barlow_700Bold } from '@expo-google-fonts/barlow/700Bold';
import { BarlowCondensed_600SemiBold } from '@expo-google-fonts/barlow-condensed/600SemiBold';
import MaterialIcons from '@expo/vector-icons/MaterialIcons';
import { useFonts } from 'expo-font';
import { Slot, usePathname } from 'expo-router';
import Head from 'expo-router/head';
import { useEffect, type PropsWithChildren } from 'react';
import { View } from 'react-native';
import { SafeAreaProvider } from 'react-native-safe-area-context';
import { DataProvider, keepPages, sessionStore, useSession } from '../data';
import SignInScreen from '../features/people/sign-in-screen';
import { Crash } from '../features/shell/crash';
import { Shell } from '../features/shell/shell';
import { Loading } from '../ui/states';
import { Theme, usePalette } from '../ui/theme';

export { Crash as ErrorBoundary };

export default function RootLayout() {
  const [fontsReady, fontError] = useFonts({ Barlow_500Medium, Barlow_700Bold, BarlowCondensed_600SemiBold, ...MaterialIcons.font });
  useEffect(() => {
    void sessionStore.getState().check();
    if ('serviceWorker' in navigator && process.env.NODE_ENV === 'production') void keepPages(navigator.serviceWorker, document);
    document.documentElement.lang = 'en';
  }, []);
  return (
    <SafeAreaProvider>
      <Head>
        <title>Mesure</title>
      </Head>
      <Theme>{fontsReady || fontError ? <Gate /> : null}</Theme>
    </SafeAreaProvider>
  );
}

/** The ground of a page that is not inside the shell. */
function Paper({ children }: PropsWithChildren) {
  const p = usePalette();
  return <View style={{ flex: 1, backgroundColor: p.paper }}>{children}</View>;
}

const LINKS = ['/begin', '/join', '/password'];

function Gate() {
  const status = useSession((s) => s.status);
  const session = useSession((s) => s.session);
  // a link works whoever is signed in on this phone, or nobody
  const path = usePathname();
  if (LINKS.includes(path))
    return (
      <Paper>
        <Slot />
      </Paper>
    );
  if (status === 'checking')
    return (
      <Paper>
        <Loading what="Mesure" />
      </Paper>
    );
  if (!session) return <SignInScreen />;
  return (
    <DataProvider session={session}>
      <Shell>
        <Slot />
      </Shell>
    </DataProvider>
  );
}
