import { defineKind } from './define';

export interface AdapterBody {
  name: string;
  factor: number;
}

export const adapterKind = defineKind<AdapterBody>({
  noun: 'adapter',
  tell: (b) => b.name,
  fields: { name: 'name', factor: 'factor' },
  schema: ({ Joi, name }) => Joi.object({ name: name.required(), factor: Joi.number().min(0.3).max(4).required() }),
  references: {},
  merge: {},
  writes: 'record',
  hides: 'record',
  leaves: 'the kit list: adapter of each take',
});
