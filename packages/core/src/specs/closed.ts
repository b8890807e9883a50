import * as z from 'zod';

/**
 * An object that refuses unknown fields, naming them, except those that start with `x-`.
 * Zod's strict objects know no such exception, so the rule is a refinement on a loose one.
 */
export function closed<Shape extends z.ZodRawShape>(shape: Shape) {
  return z.looseObject(shape).superRefine((value, context) => {
    for (const key of Object.keys(value)) {
      if (!(key in shape) && !key.startsWith('x-')) {
        context.addIssue({
          code: 'custom',
          path: [key],
          message: 'this field is not known; fields of your own start with x-',
        });
      }
    }
  });
}

export const idSchema = z
  .string()
  .regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'an id is made of lower-case letters, digits and hyphens');
export const nameSchema = z.string().trim().min(1, 'a name is needed').max(80);
/** A share of a frame's side. */
export const fractionSchema = z.number().min(0).max(1);
