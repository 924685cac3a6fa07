import type { Database } from '../db/connect';
import { ApiProblem } from '../http/problem';
import type { User } from './model';
import { verifyPassword } from './passwords';
import { slowDownOf } from './slow-down';

/**
 * The password once more, before what cannot be taken back: whoever has somebody's phone in hand has not his password.
 * @throws ApiProblem INVALID at the field `before`, TOO_MANY_ATTEMPTS
 */
export function proofOf(db: Database): (userId: string, password: string) => Promise<User> {
  const slow = slowDownOf(db);
  return async (userId, password) => {
    const user = (await db.User.findByPk(userId))!;
    await slow.attempt(`password ${userId}`);
    if (!(await verifyPassword(password, user.passwordHash))) throw new ApiProblem('INVALID', 'The password is not right.', { fields: [{ field: 'before', message: 'is not right' }] });
    await slow.right(`password ${userId}`);
    return user;
  };
}
