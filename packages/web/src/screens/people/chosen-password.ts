import { passwordSchema } from '@mivvy/api';

/** Why a password cannot be chosen; true where it can. */
export const chosenPassword = (text: string): true | string => {
  const read = passwordSchema.safeParse(text);
  return read.success || (read.error.issues[0]?.message ?? 'Choose another');
};
