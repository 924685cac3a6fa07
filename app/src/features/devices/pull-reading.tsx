import { CoreError } from '@mesure/core';
import { useState } from 'react';
import { View } from 'react-native';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { DeviceSheet } from './device-sheet';
import { useChosen, type NumberDevice } from './devices-store';

/** One tap asks the chosen instrument and gives its text to the field; a failure says what to do and changes nothing. */
export function PullReading({ quantity, near, onText, what }: { quantity: NumberDevice['quantity']; near: number; onText: (text: string, instrument: string) => void; what: string }) {
  const p = usePalette();
  const device = useChosen(quantity) as NumberDevice | null;
  const [busy, setBusy] = useState(false);
  const [failure, setFailure] = useState<string | null>(null);
  const [choosing, setChoosing] = useState(false);
  async function pull(d: NumberDevice) {
    setBusy(true);
    setFailure(null);
    const reading = await d.read(near);
    setBusy(false);
    if (reading.text === null) setFailure(reading.failure ?? 'no reading');
    else {
      try {
        onText(reading.text, d.instrument);
      } catch (e) {
        // it said a number that this cannot be: nothing is kept, and it is not lost in silence
        if (!(e instanceof CoreError)) throw e;
        setFailure(`${d.name} says ${reading.text}. ${e.message}`);
      }
    }
  }
  return (
    <View style={{ marginVertical: SPACE.xs }}>
      <View style={{ flexDirection: 'row', gap: SPACE.s, flexWrap: 'wrap' }}>
        {device ? (
          <Action
            icon="sensors"
            title={`${device.name}${device.simulated ? ' (simulated)' : ''}`}
            label={`Read ${what} from ${device.name}`}
            busy={busy}
            onPress={() => void pull(device)}
            testID={`pull-${quantity}`}
          />
        ) : null}
        <Action
          kind="quiet"
          icon="settings-input-antenna"
          title={device ? 'Other' : 'Instrument …'}
          label={`Choose the instrument for ${what}`}
          onPress={() => setChoosing(true)}
          testID={`choose-${quantity}`}
        />
      </View>
      {failure ? <Words look="small" color={p.against} role="alert">{`▲ ${failure}`}</Words> : null}
      {choosing ? <DeviceSheet open onClose={() => setChoosing(false)} /> : null}
    </View>
  );
}
