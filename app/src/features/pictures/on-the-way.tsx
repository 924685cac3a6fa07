import { View } from 'react-native';
import { usePicturesState, type PictureOnTheWay } from '../../data';
import { Action, Progress } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

const MEGA = 1e6;

/** A picture that is on this device and not on the server yet. */
export function OnTheWay({ picture }: { picture: PictureOnTheWay }) {
  const p = usePalette();
  const again = usePicturesState((s) => s.again);
  const drop = usePicturesState((s) => s.drop);
  const { name, state, sentBytes, sizeBytes, refused } = picture;
  return (
    <View testID={`waiting-${name}`} style={{ borderLeftWidth: 4, borderLeftColor: state === 'refused' ? p.against : p.tape, paddingLeft: SPACE.m, marginVertical: SPACE.s }}>
      <Words numberOfLines={1}>{name}</Words>
      {state === 'refused' ? (
        <>
          <Words look="small" role="alert" color={p.against}>{`▲ Not taken: ${refused} It is still on this device.`}</Words>
          <View style={{ flexDirection: 'row', gap: SPACE.m, marginTop: SPACE.xs }}>
            <Action title="Send again" onPress={() => void again(picture.id)} label={`Send ${name} again`} />
            <Action title="Drop it" onPress={() => void drop(picture.id)} label={`Drop ${name}`} />
          </View>
        </>
      ) : (
        <Progress
          fraction={sizeBytes > 0 ? sentBytes / sizeBytes : 0}
          label={state === 'sending' ? `sending, ${(sentBytes / MEGA).toFixed(1)} of ${(sizeBytes / MEGA).toFixed(1)} MB` : 'kept on this device, waits to be sent'}
        />
      )}
    </View>
  );
}
