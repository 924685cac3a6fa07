import { setupLacks, type SetupLack, type StillBody, type StoredRecord } from '@mesure/contract';
import { useAll, useFind, usePicturesState } from '../../../data';
import { useLater } from '../../../ui/folds';
import { openCautions } from '../../plan/open-cautions';
import { useFloor } from '../use-floor';

export interface SetupLacks {
  lacksOf: (setup: StoredRecord<'setup'>) => SetupLack[];
  /** the plans' cautions are among them; before the first drawing they are not, so that the board is there at once */
  whole: boolean;
}

/** For each setup of the day what is still to be done; one reading of the records for all of them. */
export function useSetupLacks(): SetupLacks {
  const whole = useLater();
  const find = useFind();
  const floor = useFloor();
  const plans = useAll('plan');
  const takes = useAll('take');
  const ties = useAll('tie');
  const facts = useAll('fact');
  const rigs = useAll('rig');
  const plates = useAll('plate').map((p) => p.body);
  const photos = useAll('recce');
  const lights = useAll('light');
  const stills = useAll('still').map((s) => s.body);
  const waiting = usePicturesState((s) => s.pictures)
    .filter((q) => q.kind === 'still')
    .map((q) => q.body as StillBody);
  const lacksOf = (setup: StoredRecord<'setup'>): SetupLack[] => {
    const ofSet = <T extends { body: { setId: string } }>(list: readonly T[]) => list.filter((t) => t.body.setId === setup.body.setId).map((t) => t.body as T['body']);
    const set = find('set', setup.body.setId)?.body ?? null;
    const plan = plans.filter((q) => q.body.setupId === setup.id).sort((a, b) => (a.id < b.id ? -1 : 1))[0]?.body ?? null;
    return setupLacks({
      setup,
      set,
      plan,
      cautions: whole && plan && set ? openCautions(plan, set, plates, find, photos.find((r) => r.body.setupId === setup.id)?.body ?? null) : [],
      takes,
      ties: ofSet(ties),
      facts: ofSet(facts),
      rigs: rigs.filter((r) => r.body.setupId === setup.id).map((r) => r.body),
      lightShots: lights.filter((l) => l.body.setupId === setup.id).map((l) => l.body),
      stills: [...stills, ...waiting].filter((s) => s.setupId === setup.id),
      floor,
      cameraName: (id) => find('package', id)?.body.camera ?? '?',
    });
  };
  return { lacksOf, whole };
}
