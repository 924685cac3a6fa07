import { Link, usePathname, useRouter, type Href } from 'expo-router';
import { useEffect, useState, type PropsWithChildren } from 'react';
import { Pressable, View } from 'react-native';
import { useSafeAreaInsets } from 'react-native-safe-area-context';
import { useClock, useData, usePicturesState, useRecordsState } from '../../data';
import { Action, Icon, IconAction, Sheet, useIsWide, type IconName } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, TOUCH_PX, useLightSwitch, usePalette } from '../../ui/theme';
import { ClosedDayQuestion } from '../days/closed-day-question';
import { DaySheet } from '../days/day-sheet';
import { useDay } from '../days/use-day';
import { PeopleSheet } from '../people/people-sheet';
import { RenewedLine } from './renewed-line';
import { EvictedLine } from './evicted-line';
import { TroubleLine } from './trouble-line';
import { OutboxList } from './outbox-list';
import { MAIN_ACTION } from './pane';

interface Place {
  href: Href;
  name: string;
  icon: IconName;
  key: string;
}
const PLACES: Place[] = [
  { href: '/kit', name: 'Kit', icon: 'camera-roll', key: '1' },
  { href: '/plan' as Href, name: 'Plan', icon: 'map', key: '2' },
  { href: '/floor', name: 'Floor', icon: 'straighten', key: '3' },
  { href: '/check', name: 'Check', icon: 'compare-arrows', key: '4' },
  { href: '/wrap', name: 'Wrap', icon: 'inventory-2', key: '5' },
];

/** Head line, the places, and the work between them. */
export function Shell({ children }: PropsWithChildren) {
  const p = usePalette();
  const wide = useIsWide();
  const insets = useSafeAreaInsets();
  const router = useRouter();
  const [help, setHelp] = useState(false);
  const undo = useRecordsState((s) => s.undo);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const typing = e.target instanceof HTMLInputElement || e.target instanceof HTMLTextAreaElement;
      if (e.key === '?' && !typing) setHelp((h) => !h);
      // in a field the browser takes back typing
      if (e.key.toLowerCase() === 'z' && (e.ctrlKey || e.metaKey) && !e.shiftKey && !typing) {
        e.preventDefault();
        void undo();
      }
      if (e.key === 'Enter' && e.altKey) {
        e.preventDefault();
        // not behind a sheet; of list and work beside each other the work's
        const all = document.querySelector('[role=dialog]') ? [] : [...document.querySelectorAll<HTMLElement>(`#${MAIN_ACTION} button, #${MAIN_ACTION} [role=button]`)];
        all.at(-1)?.click();
      }
      const place = e.altKey ? PLACES.find((q) => q.key === e.key) : undefined;
      if (place) {
        e.preventDefault();
        router.push(place.href);
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [router, undo]);
  return (
    <View style={{ flex: 1, backgroundColor: p.paper, flexDirection: wide ? 'row' : 'column', paddingTop: insets.top }}>
      {wide ? <Places vertical onHelp={() => setHelp(true)} /> : null}
      <View style={{ flex: 1, minWidth: 0, minHeight: 0 }}>
        <HeadLine />
        <TroubleLine />
        <EvictedLine />
        <RenewedLine />
        <EndingLine />
        <View role="main" style={{ flex: 1, minHeight: 0 }}>
          {children}
        </View>
        <UndoBar />
      </View>
      {wide ? null : <Places />}
      <Sheet title="Keys" open={help} onClose={() => setHelp(false)}>
        {[
          ...PLACES.map((q) => [`Alt ${q.key}`, `Go to ${q.name}`]),
          ['Alt Enter', 'The main action of the page'],
          ['Tab, Enter', 'Move and choose'],
          ['← →', 'Move the tape by one mark'],
          ['Ctrl Z', 'Take back the last step'],
          ['?', 'This list'],
        ].map(([k, what]) => (
          <View key={k} style={{ flexDirection: 'row', paddingVertical: SPACE.s }}>
            <Words look="figure" style={{ width: 120 }}>
              {k}
            </Words>
            <Words>{what}</Words>
          </View>
        ))}
      </Sheet>
    </View>
  );
}

function Places({ vertical, onHelp }: { vertical?: boolean; onHelp?: () => void }) {
  const p = usePalette();
  const path = usePathname();
  const insets = useSafeAreaInsets();
  return (
    <View
      role="navigation"
      aria-label="Places"
      style={
        vertical
          ? { width: 92, borderRightWidth: 1, borderColor: p.line, paddingTop: SPACE.l, backgroundColor: p.sunk }
          : { flexDirection: 'row', borderTopWidth: 1, borderColor: p.line, backgroundColor: p.sunk, paddingBottom: insets.bottom }
      }
    >
      {PLACES.map((q) => {
        const on = path.startsWith(String(q.href));
        return (
          <Link key={q.name} href={q.href} asChild>
            <Pressable
              aria-current={on ? 'page' : undefined}
              style={{
                flex: vertical ? undefined : 1,
                minHeight: TOUCH_PX + 10,
                alignItems: 'center',
                justifyContent: 'center',
                paddingVertical: SPACE.s,
                borderTopWidth: vertical ? 0 : 4,
                borderLeftWidth: vertical ? 4 : 0,
                borderColor: on ? p.tape : 'transparent',
              }}
            >
              <Icon name={q.icon} color={on ? p.ink : p.dim} />
              <Words look="label" color={on ? p.ink : p.dim}>
                {q.name}
              </Words>
            </Pressable>
          </Link>
        );
      })}
      {vertical && onHelp ? (
        <View style={{ marginTop: 'auto', alignItems: 'center', paddingBottom: SPACE.m }}>
          <IconAction icon="keyboard" label="Keys" onPress={onHelp} />
        </View>
      ) : null}
    </View>
  );
}

/** Where I am, and what became of what I entered. */
function HeadLine() {
  const p = usePalette();
  const { session } = useData();
  const day = useDay();
  const outbox = useRecordsState((s) => s.outbox);
  const reachable = useRecordsState((s) => s.reachable);
  const signInNeeded = useRecordsState((s) => s.signInNeeded);
  const switchLight = useLightSwitch();
  const [open, setOpen] = useState<'where' | 'people' | 'waiting' | null>(null);
  const onlyHere = useRecordsState((s) => s.onlyHere.length);
  const pictures = usePicturesState((s) => s.pictures);
  // on its way to the device's disk: neither sent nor kept, and said as neither
  const keeping = useRecordsState((s) => s.keeping);
  const waitingRecords = outbox.filter((w) => w.state === 'waiting').length;
  const needsYou = outbox.filter((w) => w.state !== 'waiting').length + pictures.filter((q) => q.state === 'refused').length + onlyHere;
  const waiting = waitingRecords + pictures.filter((q) => q.state !== 'refused').length;
  const state = signInNeeded
    ? 'sign in again to send'
    : needsYou > 0
      ? `${needsYou} need${needsYou === 1 ? 's' : ''} you`
      : keeping > 0
        ? 'keeping …'
        : waiting > 0
          ? `${waiting} waiting`
          : reachable
            ? 'all sent'
            : 'saved here, no network';
  return (
    <View role="banner" style={{ flexDirection: 'row', alignItems: 'center', borderBottomWidth: 1, borderColor: p.line, paddingLeft: SPACE.l, minHeight: TOUCH_PX }}>
      <Pressable
        onPress={() => setOpen('where')}
        accessibilityRole="button"
        accessibilityLabel={`${session.production.name}${day ? `, ${day.body.name}` : ', no day yet'}. Change`}
        testID="where"
        style={{ flex: 1, minWidth: 0, minHeight: TOUCH_PX, flexDirection: 'row', alignItems: 'center' }}
      >
        <Words look="small" numberOfLines={1} style={{ flexShrink: 1 }}>
          {`${session.production.name} · ${day ? day.body.name : 'no day yet'}`}
        </Words>
        <Icon name="expand-more" size={18} />
      </Pressable>
      <Pressable
        onPress={() => setOpen('waiting')}
        accessibilityRole="button"
        accessibilityLabel={`State: ${state}. Open`}
        testID="state-line"
        style={{ minHeight: TOUCH_PX, justifyContent: 'center', paddingHorizontal: SPACE.s }}
      >
        <Words
          look="label"
          color={waiting + needsYou > 0 || signInNeeded ? p.ink : p.dim}
          style={waiting + needsYou > 0 ? { backgroundColor: p.tape, color: p.onTape, paddingHorizontal: 6, paddingVertical: 2, borderRadius: 3 } : undefined}
        >
          {state}
        </Words>
      </Pressable>
      <IconAction icon="group" label="Who is here" onPress={() => setOpen('people')} />
      <IconAction icon={p.light === 'stage' ? 'light-mode' : 'dark-mode'} label={p.light === 'stage' ? 'Switch to Daylight' : 'Switch to Stage'} onPress={switchLight} />
      <Sheet title="What waits here" open={open === 'waiting'} onClose={() => setOpen(null)}>
        <OutboxList />
        <View style={{ height: SPACE.xl }} />
        <Words look="small" dim>{`Signed in as ${session.name}, ${session.role}.`}</Words>
      </Sheet>
      {open === 'where' ? <DaySheet open onClose={() => setOpen(null)} /> : null}
      {open === 'people' ? <PeopleSheet open onClose={() => setOpen(null)} /> : null}
      <ClosedDayQuestion />
    </View>
  );
}

/** A film that somebody has asked to remove says so everywhere, to everybody in it. */
function EndingLine() {
  const p = usePalette();
  const { session } = useData();
  const clock = useClock();
  const ends = session.productions.find((q) => q.id === session.production.id)?.ends;
  if (!ends) return null;
  return (
    <View role="status" testID="ending-line" style={{ backgroundColor: p.raised, borderBottomWidth: 1, borderColor: p.line, paddingHorizontal: SPACE.l, paddingVertical: SPACE.xs }}>
      <Words look="small" color={p.against}>{`▲ This film is removed for good on ${clock.stamp(ends.at)}, as ${ends.by} asked. An owner can keep it: days, productions.`}</Words>
    </View>
  );
}

function UndoBar() {
  const p = usePalette();
  const last = useRecordsState((s) => s.lastChange);
  const undo = useRecordsState((s) => s.undo);
  const dismiss = useRecordsState((s) => s.dismissUndo);
  useEffect(() => {
    if (!last) return undefined;
    const timer = setTimeout(dismiss, 20_000);
    return () => clearTimeout(timer);
  }, [last, dismiss]);
  if (!last) return null;
  return (
    <View role="status" style={{ flexDirection: 'row', alignItems: 'center', borderTopWidth: 1, borderColor: p.line, backgroundColor: p.raised, paddingLeft: SPACE.l }}>
      <Words look="small" style={{ flex: 1 }} numberOfLines={1}>
        {last.label}
      </Words>
      <Action kind="quiet" title="Undo" onPress={() => void undo()} />
      <IconAction icon="close" label="Dismiss" onPress={dismiss} />
    </View>
  );
}
