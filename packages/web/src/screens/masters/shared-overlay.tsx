import type { Size } from '@mivvy/core';
import { OverMaster, placeOver } from '../framing/over-master.tsx';
import { useMasterLook } from '../framing/use-master-look.ts';
import type { sharedWindows } from './shared-panel.tsx';
import '../framing/framing.css';

/** Windows, their common area and the square inside it, over the master. */
export function SharedOverlay({
  shared,
  masterSize: master,
}: {
  shared: ReturnType<typeof sharedWindows>;
  masterSize: Size;
}) {
  const [look] = useMasterLook();
  return (
    <>
      <OverMaster others={shared.windows} common={shared.common} masterSize={master} look={look} />
      {shared.square && (
        <div className="square" style={placeOver(shared.square, master)}>
          <span>square</span>
        </div>
      )}
    </>
  );
}
