import type { FileRef, SyncBody, SyncOutcome } from '@mesure/contract';
import { useState } from 'react';
import { Image, View } from 'react-native';
import { api } from '../../../data';
import { Action } from '../../../ui/controls';
import { LiveNumber } from '../../../ui/live-number';
import { Words } from '../../../ui/text';
import { SPACE, usePalette } from '../../../ui/theme';

interface Props {
  productionId: string;
  main: FileRef;
  witness: FileRef;
  facts: SyncOutcome;
  value: SyncBody['clap'];
  disabled: boolean;
  onKeep: (clap: NonNullable<SyncBody['clap']>) => void;
}

/** Both clips, frame by frame: step to the first frame in which the clap is closed, in each. The second begins where the sound says it is. */
export function ClapMarker({ productionId, main, witness, facts, value, disabled, onKeep }: Props) {
  const [mainFps, witnessFps] = [facts.main.fps!, facts.witness.fps!];
  const [mainFrame, setMain] = useState(value?.mainFrame ?? 0);
  const guess = (frame: number) => Math.max(0, Math.round((frame / mainFps + facts.sound.offsetS) * witnessFps));
  const [witnessFrame, setWitness] = useState<number | null>(value?.witnessFrame ?? null);
  const second = witnessFrame ?? guess(mainFrame);
  const same = value?.mainFrame === mainFrame && value.witnessFrame === second;
  return (
    <View style={{ marginTop: SPACE.l }} testID="clap-marker">
      <Words look="heading">Clap</Words>
      <Words look="small" dim>
        Step each clip to the first frame in which the clap is closed.
      </Words>
      <Frames
        name="main camera"
        url={api.frameUrl(productionId, main.sha256, mainFrame)}
        frame={mainFrame}
        last={Math.floor(facts.main.durationS * mainFps) - 1}
        onChange={setMain}
        testID="clap-main"
      />
      <Frames
        name="witness camera"
        url={api.frameUrl(productionId, witness.sha256, second)}
        frame={second}
        last={Math.floor(facts.witness.durationS * witnessFps) - 1}
        onChange={setWitness}
        testID="clap-witness"
      />
      {disabled ? null : (
        <Action kind="plain" title={same ? 'The clap is marked' : 'The clap is closed in both'} disabled={same} onPress={() => onKeep({ mainFrame, witnessFrame: second })} testID="keep-clap" />
      )}
    </View>
  );
}

function Frames({ name, url, frame, last, onChange, testID }: { name: string; url: string; frame: number; last: number; onChange: (frame: number) => void; testID: string }) {
  const p = usePalette();
  const [failed, setFailed] = useState<string | null>(null);
  const step = (by: number) => onChange(Math.max(0, Math.min(last, frame + by)));
  return (
    <View style={{ marginVertical: SPACE.s }}>
      <Image
        source={{ uri: url }}
        accessibilityLabel={`Frame ${frame} of the ${name}`}
        onError={() => setFailed(url)}
        style={{ width: '100%', aspectRatio: 16 / 9, backgroundColor: p.sunk }}
        resizeMode="contain"
        testID={testID}
      />
      {failed === url ? (
        <Words look="small" color={p.against}>
          ▲ This frame cannot be shown: it is on the server.
        </Words>
      ) : null}
      <View style={{ flexDirection: 'row', alignItems: 'center', gap: SPACE.xs }}>
        {[-10, -1, 1, 10].map((by) => (
          <View key={by} style={{ flex: 1 }}>
            <Action title={by > 0 ? `+${by}` : `−${-by}`} label={`${name}: ${by > 0 ? 'on' : 'back'} by ${Math.abs(by)} frames`} onPress={() => step(by)} testID={`${testID}-${by}`} />
          </View>
        ))}
      </View>
      <LiveNumber label={`Frame of the ${name}, of ${last + 1}`} value={frame} digits={0} onChange={(v) => v !== null && Number.isInteger(v) && onChange(Math.max(0, Math.min(last, v)))} />
    </View>
  );
}
