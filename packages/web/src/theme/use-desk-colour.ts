import { createContext, useContext } from 'react';
import type { Desk } from './theme.ts';

/** Which desk is laid out, and the way to change it. */
export const DeskContext = createContext<{ desk: Desk; setDesk: (desk: Desk) => void }>({
  desk: 'light',
  setDesk: () => undefined,
});

export const useDeskColour = () => useContext(DeskContext);
