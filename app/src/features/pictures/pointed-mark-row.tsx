import { View } from 'react-native';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';

interface Props {
  mark: string;
  /** what is to be said of it here */
  words: string;
  /** null: whoever looks may not */
  onTakeOff: (() => void) | null;
  testID: string;
}

/** A mark that is pointed out in a picture, in the list under it. */
export function PointedMarkRow({ mark, words, onTakeOff, testID }: Props) {
  return (
    <View style={{ flexDirection: 'row', alignItems: 'center', justifyContent: 'space-between' }} testID={testID}>
      <Words>{mark}</Words>
      <Words look="small" dim style={{ flex: 1, marginLeft: SPACE.m }}>
        {words}
      </Words>
      {onTakeOff ? <Action kind="quiet" title="Take off" label={`Take ${mark} off the picture`} onPress={onTakeOff} testID={`off-${mark}`} /> : null}
    </View>
  );
}
