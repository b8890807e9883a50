import Slider from '@mui/material/Slider';
import { useState } from 'react';
import { livelyWords } from '@mivvy/core';

/** Calm to lively, with the limits that it stands for. */
export function LivelyControl({ value, onChange }: { value: number; onChange: (value: number) => void }) {
  const [live, setLive] = useState<number | null>(null);
  const shown = live ?? value;
  return (
    <div className="lively">
      <span className="quiet">calm</span>
      <Slider
        size="small"
        aria-label="How lively"
        min={0}
        max={1}
        step={0.05}
        value={shown}
        onChange={(_e, v) => setLive(v)}
        onChangeCommitted={(_e, v) => {
          setLive(null);
          onChange(v);
        }}
      />
      <span className="quiet">lively</span>
      <p className="quiet">{livelyWords(shown)}.</p>
    </div>
  );
}
