import { maxZoom, poseAt, windowOf, zoomAbout, type Pose } from '@mivvy/core';
import { EditableNumber } from '../../../parts/editable.tsx';
import { useFraming, useShotEditor } from '../framing-session.tsx';

const pixels = (n: number) => `${Number(n.toFixed(1))} px`;

/** The numbers of one window, each to be typed over. */
export function WindowSentence() {
  const { panel, displayed: master, edit, settleHead } = useFraming();
  const shot = useShotEditor();
  const part = shot.partOf(panel);
  const pose = shot.editPose(panel);
  /** The window goes where it is set, at the end of a glide that is nearer or at the play head. */
  const set = (next: Pose) => {
    settleHead();
    edit((now) => now.withPose(panel, next));
  };
  const window = windowOf(pose, master, part);
  const room = { x: master.width - window.width, y: master.height - window.height };
  const edge = (which: 'x' | 'y') => (value: number) =>
    set(poseAt(which === 'x' ? value : window.x, which === 'y' ? value : window.y, pose.zoom, master, part));
  const zoomTo = (zoom: number) =>
    set(
      zoomAbout(
        pose,
        zoom,
        (window.x + window.width / 2) / master.width,
        (window.y + window.height / 2) / master.height,
        master,
        part,
      ),
    );
  const largest = { width: window.width * pose.zoom, height: window.height * pose.zoom };
  return (
    <p>
      Its zoom is{' '}
      <EditableNumber
        label="Zoom"
        value={pose.zoom}
        shown={`${pose.zoom.toFixed(2)} ×`}
        min={1}
        max={maxZoom}
        step={0.01}
        unit="times"
        onChange={zoomTo}
      />
      , its left edge at{' '}
      {room.x < 0.05 ? (
        <b>0 px</b>
      ) : (
        <EditableNumber
          label="Left edge"
          value={window.x}
          shown={pixels(window.x)}
          min={0}
          max={room.x}
          unit="master pixels"
          onChange={edge('x')}
        />
      )}{' '}
      of {pixels(room.x)}, its top at{' '}
      {room.y < 0.05 ? (
        <b>0 px</b>
      ) : (
        <EditableNumber
          label="Top"
          value={window.y}
          shown={pixels(window.y)}
          min={0}
          max={room.y}
          unit="master pixels"
          onChange={edge('y')}
        />
      )}{' '}
      of {pixels(room.y)}. It is{' '}
      <EditableNumber
        label="Width"
        value={window.width}
        shown={pixels(window.width)}
        min={largest.width / maxZoom}
        max={largest.width}
        unit="master pixels"
        onChange={(w) => zoomTo(largest.width / w)}
      />{' '}
      wide and{' '}
      <EditableNumber
        label="Height"
        value={window.height}
        shown={pixels(window.height)}
        min={largest.height / maxZoom}
        max={largest.height}
        unit="master pixels"
        onChange={(h) => zoomTo(largest.height / h)}
      />{' '}
      high.
    </p>
  );
}
