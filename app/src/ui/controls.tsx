import MaterialIcons from '@expo/vector-icons/MaterialIcons';
import { Button, Input, LinearProgress } from '@rneui/themed';
import { useId, useState, type ComponentProps, type PropsWithChildren, type ReactNode } from 'react';
import { Modal, Pressable, ScrollView, useWindowDimensions, View, type KeyboardTypeOptions } from 'react-native';
import { useSafeAreaInsets } from 'react-native-safe-area-context';
import { Words } from './text';
import { useFold } from './folds';
import { FONT, SPACE, textSize, TOUCH_PX, usePalette, WIDE_PX } from './theme';

export type IconName = ComponentProps<typeof MaterialIcons>['name'];

export function Icon({ name, size = 22, color }: { name: IconName; size?: number; color?: string }) {
  const p = usePalette();
  return <MaterialIcons name={name} size={size} color={color ?? p.ink} accessible={false} aria-hidden />;
}

export const useIsWide = (): boolean => useWindowDimensions().width >= WIDE_PX;

interface ActionProps {
  title: string;
  onPress: () => void;
  kind?: 'main' | 'plain' | 'quiet';
  icon?: IconName;
  disabled?: boolean;
  busy?: boolean;
  testID?: string;
  label?: string;
}

/** A verb and its object. One `main` a screen. */
export function Action({ title, onPress, kind = 'plain', icon, disabled, busy, testID, label }: ActionProps) {
  const p = usePalette();
  const ink = kind === 'main' ? p.onTape : kind === 'quiet' ? p.blue : p.ink;
  return (
    <Button
      title={title}
      onPress={onPress}
      disabled={disabled === true || busy === true}
      testID={testID}
      accessibilityLabel={label ?? title}
      accessibilityRole="button"
      icon={
        icon ? (
          <View style={{ marginRight: SPACE.s }}>
            <Icon name={icon} size={20} color={disabled ? p.dim : ink} />
          </View>
        ) : undefined
      }
      buttonStyle={{
        minHeight: TOUCH_PX,
        borderRadius: 6,
        paddingHorizontal: SPACE.l,
        backgroundColor: kind === 'main' ? p.tape : kind === 'quiet' ? 'transparent' : p.raised,
        borderWidth: kind === 'plain' ? 1 : 0,
        borderColor: p.line,
      }}
      disabledStyle={{ backgroundColor: p.sunk, borderColor: p.line, borderWidth: 1 }}
      titleStyle={{ fontFamily: FONT.strong, fontSize: textSize(16), color: ink }}
      disabledTitleStyle={{ color: p.dim }}
    />
  );
}

export function IconAction({ icon, label, onPress, disabled }: { icon: IconName; label: string; onPress: () => void; disabled?: boolean }) {
  const p = usePalette();
  return (
    <Pressable
      onPress={onPress}
      disabled={disabled}
      accessibilityRole="button"
      accessibilityLabel={label}
      style={{ minWidth: TOUCH_PX, minHeight: TOUCH_PX, alignItems: 'center', justifyContent: 'center', opacity: disabled ? 0.4 : 1, borderRadius: 6, backgroundColor: p.paper }}
    >
      <Icon name={icon} />
    </Pressable>
  );
}

export interface FieldProps {
  label: string;
  value: string;
  onChangeText: (text: string) => void;
  /** when the field is left, by Enter too */
  onDone?: () => void;
  onEnter?: () => void;
  error?: string | null;
  hint?: string;
  keyboard?: KeyboardTypeOptions;
  secure?: boolean;
  testID?: string;
  multiline?: boolean;
  autoComplete?: 'username' | 'current-password' | 'new-password' | 'one-time-code' | 'off';
  suffix?: string;
}

/** A line to type on. What is wrong and what would be right stands at the field. */
export function Field({ label, value, onChangeText, onDone, onEnter, error, hint, keyboard, secure, testID, multiline, autoComplete = 'off', suffix }: FieldProps) {
  const p = usePalette();
  const id = useId();
  const [focused, setFocused] = useState(false);
  return (
    <View style={{ marginBottom: SPACE.s }}>
      <Words look="label" dim nativeID={`${id}-label`}>
        {label}
        {suffix ? ` (${suffix})` : ''}
      </Words>
      <Input
        value={value}
        onChangeText={onChangeText}
        // Enter leaves the field, and leaving it is what counts: both would commit twice
        onBlur={() => {
          setFocused(false);
          onDone?.();
        }}
        onFocus={() => setFocused(true)}
        onSubmitEditing={onEnter}
        keyboardType={keyboard}
        secureTextEntry={secure}
        testID={testID}
        multiline={multiline}
        autoComplete={autoComplete}
        autoCapitalize="none"
        autoCorrect={false}
        accessibilityLabel={label}
        aria-invalid={error ? true : undefined}
        renderErrorMessage={false}
        errorMessage={undefined}
        containerStyle={{ paddingHorizontal: 0 }}
        inputContainerStyle={{
          borderWidth: 1,
          borderColor: error ? p.against : p.line,
          borderBottomWidth: error ? 3 : 1,
          borderRadius: 6,
          backgroundColor: p.raised,
          paddingHorizontal: SPACE.m,
          minHeight: TOUCH_PX,
          // the ring of who types by keys goes around what is seen as the field, not around the text within
          ...(focused ? ({ outlineStyle: 'solid', outlineWidth: 2, outlineColor: p.ink, outlineOffset: 1 } as object) : null),
        }}
        inputStyle={{ fontFamily: FONT.figures, fontSize: textSize(18), color: p.ink, minHeight: TOUCH_PX - 4, minWidth: 0, ...({ outlineStyle: 'none' } as object) }}
      />
      {error ? (
        <Words look="small" color={p.against} role="alert" style={{ marginTop: 2 }}>{`▲ ${error}`}</Words>
      ) : hint ? (
        <Words look="small" dim style={{ marginTop: 2 }}>
          {hint}
        </Words>
      ) : null}
    </View>
  );
}

/** One of a few; all are seen at once. One stop of the Tab key for the whole group, the arrow keys within it (WAI-ARIA, radio group). */
export function Choice<V extends string | null>({
  label,
  options,
  value,
  onChange,
  disabled = false,
}: {
  label: string;
  options: readonly { value: V; title: string; detail?: string }[];
  value: V;
  onChange: (value: V) => void;
  disabled?: boolean;
}) {
  const p = usePalette();
  const at = options.findIndex((o) => o.value === value);
  const keys = {
    onKeyDown: (e: { key: string; preventDefault: () => void; currentTarget: unknown }) => {
      const step = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[e.key];
      if (step === undefined || disabled || options.length === 0) return;
      e.preventDefault();
      const next = (Math.max(0, at) + step + options.length) % options.length;
      onChange(options[next].value);
      const group = e.currentTarget as Partial<Pick<HTMLElement, 'querySelectorAll'>>;
      (group.querySelectorAll?.('[role=radio]')[next] as HTMLElement | undefined)?.focus();
    },
  } as object;
  return (
    <View role="radiogroup" aria-label={label} aria-disabled={disabled || undefined} style={{ marginBottom: SPACE.m }} {...keys}>
      <Words look="label" dim style={{ marginBottom: SPACE.xs }}>
        {label}
      </Words>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
        {options.map((o, i) => {
          const on = o.value === value;
          return (
            <Pressable
              key={String(o.value)}
              role="radio"
              aria-checked={on}
              aria-label={o.detail ? `${o.title}, ${o.detail}` : o.title}
              disabled={disabled}
              tabIndex={i === Math.max(0, at) ? 0 : -1}
              onPress={() => onChange(o.value)}
              style={{
                minHeight: TOUCH_PX,
                maxWidth: '100%',
                justifyContent: 'center',
                paddingHorizontal: SPACE.m,
                paddingVertical: SPACE.xs,
                borderRadius: 6,
                borderWidth: on ? 2 : 1,
                borderColor: on ? p.tape : p.line,
                backgroundColor: on ? p.sunk : p.raised,
              }}
            >
              <Words look="small" dim={disabled && !on} style={on ? { fontFamily: FONT.strong } : undefined}>{`${on ? '● ' : '○ '}${o.title}`}</Words>
              {o.detail ? (
                <Words look="label" dim>
                  {o.detail}
                </Words>
              ) : null}
            </Pressable>
          );
        })}
      </View>
    </View>
  );
}

/** One of several that may be on together. */
export function Tick({ title, detail, on, onPress, testID }: { title: string; detail?: string; on: boolean; onPress: () => void; testID?: string }) {
  const p = usePalette();
  return (
    <Pressable
      role="checkbox"
      aria-checked={on}
      aria-label={title}
      testID={testID}
      onPress={onPress}
      style={{ minHeight: TOUCH_PX, flexDirection: 'row', alignItems: 'center', gap: SPACE.m, borderBottomWidth: 1, borderColor: p.line }}
    >
      <Words look="figure">{on ? '☒' : '☐'}</Words>
      <View style={{ flex: 1 }}>
        <Words>{title}</Words>
        {detail ? (
          <Words look="small" dim>
            {detail}
          </Words>
        ) : null}
      </View>
    </Pressable>
  );
}

export function Stepper({
  label,
  value,
  onChange,
  step = 1,
  fineStep,
  min,
  max,
  unit,
}: {
  label: string;
  value: number;
  onChange: (v: number) => void;
  step?: number;
  /** a second, smaller step beside the first */
  fineStep?: number;
  min: number;
  max: number;
  unit?: string;
}) {
  const p = usePalette();
  const move = (d: number) => onChange(Math.min(max, Math.max(min, Number((value + d).toFixed(4)))));
  return (
    <View style={{ marginBottom: SPACE.m }}>
      <Words look="label" dim>
        {label}
      </Words>
      <View style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.s }}>
        <IconAction icon={fineStep ? 'keyboard-double-arrow-left' : 'remove'} label={`${label}: less`} onPress={() => move(-step)} disabled={value <= min} />
        {fineStep ? <IconAction icon="remove" label={`${label}: a little less`} onPress={() => move(-fineStep)} disabled={value <= min} /> : null}
        <Words look="figure" style={{ minWidth: 84, textAlign: 'center' }} accessibilityLabel={`${label} ${value} ${unit ?? ''}`}>{`${value}${unit ? ` ${unit}` : ''}`}</Words>
        {fineStep ? <IconAction icon="add" label={`${label}: a little more`} onPress={() => move(fineStep)} disabled={value >= max} /> : null}
        <IconAction icon={fineStep ? 'keyboard-double-arrow-right' : 'add'} label={`${label}: more`} onPress={() => move(step)} disabled={value >= max} />
      </View>
      <View style={{ height: 1, backgroundColor: p.line, marginTop: SPACE.xs }} />
    </View>
  );
}

/** Rises from below on the phone, stands at the side on a wide screen. */
export function Sheet({ title, open, onClose, children }: PropsWithChildren<{ title: string; open: boolean; onClose: () => void }>) {
  const p = usePalette();
  const wide = useIsWide();
  const insets = useSafeAreaInsets();
  return (
    <Modal visible={open} transparent animationType="fade" onRequestClose={onClose} aria-label={title}>
      <View style={{ flex: 1, flexDirection: wide ? 'row' : 'column', justifyContent: 'flex-end' }}>
        <Pressable style={{ position: 'absolute', inset: 0, backgroundColor: '#0009' } as object} onPress={onClose} aria-hidden tabIndex={-1} />
        <View
          role="dialog"
          aria-label={title}
          aria-modal
          style={{
            backgroundColor: p.paper,
            borderColor: p.line,
            borderTopWidth: wide ? 0 : 3,
            borderLeftWidth: wide ? 3 : 0,
            width: wide ? 420 : '100%',
            maxHeight: wide ? undefined : '86%',
            paddingBottom: insets.bottom,
          }}
        >
          <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between', paddingLeft: SPACE.l, backgroundColor: p.paper }}>
            <Words look="heading" level={2}>
              {title}
            </Words>
            <IconAction icon="close" label={`Close ${title}`} onPress={onClose} />
          </View>
          <ScrollView contentContainerStyle={{ padding: SPACE.l, paddingTop: 0 }}>{children}</ScrollView>
        </View>
      </View>
    </Modal>
  );
}

/** A dense row: what, the number, the state. */
export function Row({ title, detail, right, onPress, selected, testID }: { title: string; detail?: string; right?: ReactNode; onPress?: () => void; selected?: boolean; testID?: string }) {
  const p = usePalette();
  const content = (
    <>
      <View style={{ flex: 1, minWidth: 0 }}>
        <Words look="body" numberOfLines={2}>
          {title}
        </Words>
        {detail ? (
          <Words look="small" dim numberOfLines={3}>
            {detail}
          </Words>
        ) : null}
      </View>
      {right}
    </>
  );
  const style = {
    flexDirection: 'row',
    alignItems: 'center',
    gap: SPACE.m,
    minHeight: TOUCH_PX + 8,
    paddingVertical: SPACE.s,
    paddingHorizontal: SPACE.m,
    borderBottomWidth: 1,
    borderColor: p.line,
    borderLeftWidth: 4,
    borderLeftColor: selected ? p.tape : 'transparent',
    backgroundColor: selected ? p.raised : 'transparent',
  } as const;
  return onPress ? (
    <Pressable testID={testID} accessibilityRole="button" aria-current={selected ? 'true' : undefined} onPress={onPress} style={style}>
      {content}
    </Pressable>
  ) : (
    <View testID={testID} style={style}>
      {content}
    </View>
  );
}

/** A part of a page under its heading. With `fold` it can be folded and stays so on this device; `short` is what then still shows of it. */
export function Section({ title, children, right, fold, short }: PropsWithChildren<{ title: string; right?: ReactNode; fold?: string; short?: string }>) {
  const heading = (
    <Words look="heading" level={2}>
      {title}
    </Words>
  );
  return (
    <View style={{ marginTop: SPACE.xl }}>
      {fold ? (
        <Folding name={fold} title={title} heading={heading} short={short}>
          {children}
        </Folding>
      ) : (
        <>
          <View style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center', minHeight: 32 }}>
            {heading}
            {right}
          </View>
          {children}
        </>
      )}
    </View>
  );
}

function Folding({ name, title, heading, short, children }: PropsWithChildren<{ name: string; title: string; heading: ReactNode; short?: string }>) {
  const p = usePalette();
  const { folded, turn } = useFold(name);
  return (
    <>
      <Pressable
        onPress={turn}
        accessibilityRole="button"
        aria-expanded={!folded}
        accessibilityLabel={`Part ${title}${folded && short ? `: ${short}` : ''}`}
        testID={`fold-${name}`}
        style={{ flexDirection: 'row', justifyContent: 'space-between', alignItems: 'center', minHeight: TOUCH_PX }}
      >
        <View style={{ flex: 1, minWidth: 0 }}>
          {heading}
          {folded && short ? (
            <Words look="small" dim numberOfLines={2}>
              {short}
            </Words>
          ) : null}
        </View>
        <Icon name={folded ? 'unfold-more' : 'unfold-less'} color={p.dim} />
      </Pressable>
      {folded ? null : children}
    </>
  );
}

export function Progress({ fraction, label }: { fraction: number; label: string }) {
  const p = usePalette();
  return (
    <View role="progressbar" aria-label={label} aria-valuenow={Math.round(100 * fraction)} aria-valuemin={0} aria-valuemax={100}>
      <LinearProgress
        value={fraction}
        variant="determinate"
        animation={false}
        color={p.tape}
        trackColor={p.sunk}
        style={{ height: 10, borderRadius: 2 }}
        accessible={false}
        importantForAccessibility="no"
        aria-hidden
      />
      <Words look="small" dim style={{ marginTop: SPACE.xs }}>
        {label}
      </Words>
    </View>
  );
}
