import { bodyKind } from './body';
import { lensKind } from './lens';
import { adapterKind } from './adapter';
import { packageKind } from './package';
import { plateKind } from './plate';
import { edgesKind } from './edges';
import { recceKind } from './recce';
import { setKind } from './set';
import { dayKind } from './day';
import { setupKind } from './setup';
import { planKind } from './plan';
import { takeKind } from './take';
import { tieKind } from './tie';
import { factKind } from './fact';
import { rigKind } from './rig';
import { syncKind } from './sync';
import { footageKind } from './footage';
import { elsewhereKind } from './elsewhere';
import { lineupKind } from './lineup';
import { lightKind } from './light';
import { stillKind } from './still';
import { photoKind } from './photo';
import { floorKind } from './floor';
import { personKind } from './person';
import { productionKind } from './production';
import { remarkKind } from './remark';
import { absenceKind } from './absence';
import { handoverKind } from './handover';
import { receiverKind } from './receiver';

export * from './shared';
export type { Kind } from './define';
export * from './body';
export * from './lens';
export * from './adapter';
export * from './package';
export * from './plate';
export * from './edges';
export * from './recce';
export * from './set';
export * from './day';
export * from './setup';
export * from './plan';
export * from './take';
export * from './tie';
export * from './fact';
export * from './rig';
export * from './sync';
export * from './footage';
export * from './elsewhere';
export * from './lineup';
export * from './light';
export * from './still';
export * from './photo';
export * from './floor';
export * from './person';
export * from './production';
export * from './remark';
export * from './absence';
export * from './handover';
export * from './receiver';

/** Every kind of record, one line each; what a kind is stands in its own file. */
export const KINDS = {
  body: bodyKind,
  lens: lensKind,
  adapter: adapterKind,
  package: packageKind,
  plate: plateKind,
  edges: edgesKind,
  recce: recceKind,
  set: setKind,
  day: dayKind,
  setup: setupKind,
  plan: planKind,
  take: takeKind,
  tie: tieKind,
  fact: factKind,
  rig: rigKind,
  sync: syncKind,
  footage: footageKind,
  elsewhere: elsewhereKind,
  lineup: lineupKind,
  light: lightKind,
  still: stillKind,
  photo: photoKind,
  floor: floorKind,
  person: personKind,
  production: productionKind,
  remark: remarkKind,
  absence: absenceKind,
  handover: handoverKind,
  receiver: receiverKind,
};
export type RecordKind = keyof typeof KINDS;
export type RecordBodies = { [K in RecordKind]: (typeof KINDS)[K]['body'] };
export const RECORD_KINDS = Object.keys(KINDS) as readonly RecordKind[];
