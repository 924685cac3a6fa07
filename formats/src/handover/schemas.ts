import Ajv, { type ValidateFunction } from 'ajv';
import framingList from '../../schemas/framing-list.schema.json';
import trackingSample from '../../schemas/tracking-sample.schema.json';

const SCHEMAS = { 'framing list': framingList, 'tracking sample': trackingSample } as const;
export type SchemaName = keyof typeof SCHEMAS;

const ajv = new Ajv({ strict: false });
const made = new Map<SchemaName, ValidateFunction>();

/** What a value has that its standard's structure has not, in words; null where it follows it. */
export function schemaProblem(name: SchemaName, value: unknown): string | null {
  let validate = made.get(name);
  if (!validate) made.set(name, (validate = ajv.compile(SCHEMAS[name])));
  if (validate(value)) return null;
  const [first] = validate.errors!;
  const where = first.instancePath === '' ? 'at its top' : `at ${first.instancePath}`;
  const extra = 'additionalProperty' in first.params ? ` (${String(first.params.additionalProperty)})` : '';
  return `${where} it ${first.message ?? 'is otherwise'}${extra}`;
}
