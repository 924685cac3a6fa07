import { useState } from 'react';
import { View } from 'react-native';
import { Action } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';
import { DeviceSheet } from './device-sheet';
import { useChosen, type PointDevice } from './devices-store';

/** One tap asks the total station for the mark that it is aimed at. */
export function PullPoint({ near, onPoint }: { near: readonly [number, number, number]; onPoint: (at: [number, number, number], instrument: string) => void }) {
  const p = usePalette();
  const device = useChosen('point') as PointDevice | null;
  const [busy, setBusy] = useState(false);
  const [failure, setFailure] = useState<string | null>(null);
  const [choosing, setChoosing] = useState(false);
  async function pull(d: PointDevice) {
    setBusy(true);
    setFailure(null);
    const { at, failure: why } = await d.read(near);
    setBusy(false);
    if (at) onPoint(at.map((v) => Number(v.toFixed(4))) as [number, number, number], d.instrument);
    else setFailure(why ?? 'no point');
  }
  return (
    <View style={{ marginVertical: SPACE.xs }}>
      <View style={{ flexDirection: 'row', gap: SPACE.s, flexWrap: 'wrap' }}>
        {device ? <Action icon="sensors" title={`${device.name} (simulated)`} label={`Read the place from ${device.name}`} busy={busy} onPress={() => void pull(device)} testID="pull-point" /> : null}
        <Action kind="quiet" icon="settings-input-antenna" title={device ? 'Other' : 'Instrument …'} label="Choose the instrument for places" onPress={() => setChoosing(true)} testID="choose-point" />
      </View>
      {failure ? <Words look="small" color={p.against} role="alert">{`▲ ${failure}`}</Words> : null}
      {choosing ? <DeviceSheet open onClose={() => setChoosing(false)} /> : null}
    </View>
  );
}
