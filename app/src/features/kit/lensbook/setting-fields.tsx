import { View } from 'react-native';
import { Field } from '../../../ui/controls';
import { LengthLine } from '../../../ui/length-line';
import { SPACE } from '../../../ui/theme';
import { useLengthUnit } from '../../floor/use-floor';

interface Line {
  value: string;
  onChange: (text: string) => void;
  error: string | undefined;
  testID: string;
}

/** What a lens was set to: marked focal length and focus, beside each other. */
export function SettingFields({ focal, focus }: { focal: Line; focus: Line }) {
  const unit = useLengthUnit();
  return (
    <View style={{ flexDirection: 'row', gap: SPACE.m, marginTop: SPACE.s }}>
      <View style={{ flex: 1 }}>
        <Field label="Focal length as marked" suffix="mm" value={focal.value} onChangeText={focal.onChange} error={focal.error} keyboard="decimal-pad" testID={focal.testID} />
      </View>
      <View style={{ flex: 1 }}>
        <LengthLine label="Focus distance" unit={unit} quantity="focus distance" value={focus.value} onChangeText={focus.onChange} error={focus.error} testID={focus.testID} />
      </View>
    </View>
  );
}
