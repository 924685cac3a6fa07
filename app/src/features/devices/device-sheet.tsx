import { View } from 'react-native';
import { Choice, Sheet } from '../../ui/controls';
import { Words } from '../../ui/text';
import { SPACE } from '../../ui/theme';
import { DEVICES, useDevices, type Device } from './devices-store';

const QUANTITIES: { quantity: Device['quantity']; title: string }[] = [
  { quantity: 'distance', title: 'Distances and heights' },
  { quantity: 'angle', title: 'Tilt and roll' },
  { quantity: 'timecode', title: 'Timecode' },
  { quantity: 'point', title: 'Points of the set' },
];

/** Which instrument answers when a field asks. Stand-ins say that they are. */
export function DeviceSheet({ open, onClose }: { open: boolean; onClose: () => void }) {
  const chosen = useDevices((s) => s.chosen);
  const choose = useDevices((s) => s.choose);
  return (
    <Sheet title="Instruments" open={open} onClose={onClose}>
      {QUANTITIES.map(({ quantity, title }) => (
        <Choice<string | null>
          key={quantity}
          label={title}
          value={chosen[quantity]}
          options={[
            { value: null, title: 'typed only' },
            ...DEVICES.filter((d) => d.quantity === quantity).map((d) => ({ value: d.id, title: d.name, detail: d.simulated ? 'simulated: for trying out' : 'connected' })),
          ]}
          onChange={(id) => choose(quantity, id)}
        />
      ))}
      <View style={{ marginTop: SPACE.s }}>
        <Words look="small" dim>
          A simulated instrument answers near the last or planned value, with its noise, and fails now and then as real ones do. What it gave is marked as simulated in the record.
        </Words>
      </View>
    </Sheet>
  );
}
