import type { FileRef } from '@mesure/contract';
import { useState } from 'react';
import { View } from 'react-native';
import { api, useData, useMay } from '../../data';
import { Action } from '../../ui/controls';
import { fetchFile } from '../../ui/save-file';
import { Words } from '../../ui/text';
import { SPACE, usePalette } from '../../ui/theme';

interface Props {
  dayId: string;
  handoverId: string;
  zip: FileRef;
  onGone: () => void;
}

/** A zip that was kept on the server: fetched from there, and let go of where its room is wanted. */
export function KeptZip({ dayId, handoverId, zip, onGone }: Props) {
  const p = usePalette();
  const { session } = useData();
  const may = useMay('direct');
  const [asking, setAsking] = useState(false);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<string | null>(null);
  async function letGo() {
    setBusy(true);
    setError(null);
    try {
      await api.letZipGo(session.production.id, dayId, handoverId);
      onGone();
    } catch (e) {
      setError(e instanceof Error ? e.message : String(e));
    } finally {
      setBusy(false);
    }
  }
  return (
    <View style={{ flexShrink: 1 }}>
      <View style={{ flexDirection: 'row', flexWrap: 'wrap' }}>
        <Action
          kind="quiet"
          icon="download"
          title="Fetch the zip"
          label={`Fetch ${zip.name} from the server`}
          onPress={() => fetchFile(api.fileUrl(session.production.id, zip.sha256), zip.name)}
          testID="fetch-zip"
        />
        {may && !asking ? <Action kind="quiet" icon="delete-outline" title="Remove the zip" label={`Remove ${zip.name} from the server`} onPress={() => setAsking(true)} testID="remove-zip" /> : null}
      </View>
      {asking ? (
        <View style={{ gap: SPACE.s, paddingBottom: SPACE.s }}>
          <Words look="small">The zip would be gone from the server, for good. That the day was handed over, and what left, stays listed; it can be handed over anew.</Words>
          <View style={{ flexDirection: 'row', flexWrap: 'wrap', gap: SPACE.s }}>
            <Action title="Remove it" icon="delete-outline" busy={busy} onPress={() => void letGo()} testID="remove-zip-now" />
            <Action kind="quiet" title="Keep it" onPress={() => setAsking(false)} />
          </View>
        </View>
      ) : null}
      {error ? <Words role="alert" color={p.against}>{`▲ ${error} The zip is still there.`}</Words> : null}
    </View>
  );
}
