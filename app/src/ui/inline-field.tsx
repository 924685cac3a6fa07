import { useId, type ReactNode } from 'react';
import { TextInput, View, type KeyboardTypeOptions } from 'react-native';
import { IconAction } from './controls';
import { Readings, type Reading } from './readings';
import { Words } from './text';
import { FONT, SPACE, textSize, TOUCH_PX, usePalette } from './theme';

export interface InlineFieldProps {
  id?: string;
  label: string;
  /** a sign behind the label, such as that the value was carried over */
  mark?: string | null;
  value: string;
  onChangeText: (text: string) => void;
  /** when the field is left; Enter goes on to the next one */
  onDone: () => void;
  unit?: string;
  keyboard?: KeyboardTypeOptions;
  error?: string | null;
  /** what the text can be meant as: one is chosen under the field */
  asked?: { readings: readonly Reading[] } | null;
  onReading?: (write: string) => void;
  note?: string | null;
  less?: (() => void) | null;
  more?: (() => void) | null;
  right?: ReactNode;
  /** another way to the value, under it */
  below?: ReactNode;
  /** text of any length, below its label */
  tall?: boolean;
  disabled?: boolean;
  testID?: string;
}

/** Label and value on one line, with steps beside them where a value has steps: for lists of many fields in the thumb's reach. */
export function InlineField({ id, label, mark, value, onChangeText, onDone, unit, keyboard, error, asked, onReading, note, less, more, right, below, tall, disabled, testID }: InlineFieldProps) {
  const p = usePalette();
  const own = useId();
  return (
    <View nativeID={id} style={{ borderBottomWidth: 1, borderColor: p.line, paddingVertical: SPACE.xs }}>
      <View style={{ flexDirection: tall ? 'column' : 'row', alignItems: tall ? 'stretch' : 'center', gap: SPACE.s, minHeight: TOUCH_PX }}>
        <View style={tall ? undefined : { flex: 1, minWidth: 0 }}>
          <Words look="small" nativeID={own}>
            {label}
            {unit ? <Words look="label" dim>{` (${unit})`}</Words> : null}
          </Words>
          {mark ? (
            <Words look="label" dim>
              {mark}
            </Words>
          ) : null}
        </View>
        {less ? <IconAction icon="remove" label={`${label}: less`} onPress={less} disabled={disabled} /> : null}
        <TextInput
          value={value}
          onChangeText={onChangeText}
          onBlur={onDone}
          onSubmitEditing={() => goOn(own)}
          editable={!disabled}
          keyboardType={keyboard}
          testID={testID}
          autoCapitalize="none"
          autoCorrect={false}
          autoComplete="off"
          blurOnSubmit
          multiline={tall}
          accessibilityLabel={label}
          aria-invalid={error ? true : undefined}
          {...({ dataSet: { next: own } } as object)}
          style={{
            width: tall ? '100%' : textSize(more ? 96 : 168),
            flexShrink: 1,
            minHeight: TOUCH_PX - 4,
            textAlign: more ? 'center' : 'left',
            paddingHorizontal: SPACE.s,
            borderWidth: 1,
            borderBottomWidth: error ? 3 : 1,
            borderColor: error ? p.against : p.line,
            borderRadius: 6,
            backgroundColor: p.raised,
            color: p.ink,
            fontFamily: FONT.figures,
            fontSize: textSize(18),
          }}
        />
        {more ? <IconAction icon="add" label={`${label}: more`} onPress={more} disabled={disabled} /> : null}
        {right}
      </View>
      {asked ? null : below}
      {error ? (
        <Words look="small" color={p.against} role="alert">{`▲ ${error}`}</Words>
      ) : note ? (
        <Words look="label" dim>
          {note}
        </Words>
      ) : null}
      {asked && onReading ? <Readings readings={asked.readings} onChoose={onReading} testID={testID} /> : null}
    </View>
  );
}

/** Enter leaves the field for the next one of its kind on the page. */
function goOn(own: string): void {
  if (typeof document === 'undefined') return;
  const all = [...document.querySelectorAll<HTMLElement>('[data-next]')];
  const at = all.findIndex((e) => e.dataset.next === own);
  all[at + 1]?.focus();
}
