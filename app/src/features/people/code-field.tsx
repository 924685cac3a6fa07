import type { FieldValues, Path } from 'react-hook-form';
import { TextField, type KeptForm } from '../../forms';
import { Words } from '../../ui/text';

export const CODE_HINT = 'Six digits, of your authenticator; or one of your recovery codes';

/** The second step of whoever has switched it on. */
export function CodeField<V extends FieldValues>({
  form,
  name,
  hint = CODE_HINT,
  testID = 'second-code',
  asked = false,
}: {
  form: KeptForm<V>;
  name: Path<V>;
  hint?: string;
  testID?: string;
  asked?: boolean;
}) {
  return (
    <>
      {asked ? <Words role="status">Your sign-in takes a code too.</Words> : null}
      <TextField form={form} name={name} label="Code" autoComplete="one-time-code" hint={hint} testID={testID} />
    </>
  );
}
