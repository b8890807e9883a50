import { createContext, useContext } from 'react';
import type { ProductionDetail } from '@mivvy/api';

export const ProductionContext = createContext<ProductionDetail | null>(null);

/** The production that the screen belongs to. */
export function useThisProduction(): ProductionDetail {
  const production = useContext(ProductionContext);
  if (!production) throw new Error('no production here');
  return production;
}
