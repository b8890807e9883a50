import { useState } from 'react';
import * as z from 'zod';

const storageKey = 'mivvy.master-look';
const lookSchema = z.object({
  dim: z.number().min(0).max(1),
  line: z.number().min(0.5).max(8),
  colour: z.string().regex(/^#[0-9a-f]{6}$/),
});

/** How windows are drawn over the master: strength of the dimming, weight of the lines in pixels, their colour. */
export type MasterLook = z.infer<typeof lookSchema>;
const plain: MasterLook = { dim: 0.55, line: 2.5, colour: '#ffffff' };

function remembered(): MasterLook {
  try {
    return lookSchema.parse(JSON.parse(localStorage.getItem(storageKey) ?? ''));
  } catch {
    return plain;
  }
}

/** The look that this person likes, kept in this browser. */
export function useMasterLook(): [MasterLook, (change: Partial<MasterLook>) => void] {
  const [look, set] = useState(remembered);
  return [
    look,
    (change) => {
      const next = { ...look, ...change };
      set(next);
      localStorage.setItem(storageKey, JSON.stringify(next));
    },
  ];
}
