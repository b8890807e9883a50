import { sharpenSteps } from '@mivvy/core';
import { Choice } from './choice.tsx';

/** An amount of sharpening in words. */
export function sharpenWords(sharpen: number | null): string {
  if (sharpen === null) return 'not sharpened';
  const step = sharpenSteps.find(({ amount }) => amount === sharpen);
  return step?.name === 'more' ? 'sharpened more' : step ? 'sharpened lightly' : `sharpened by ${sharpen}`;
}

/** How far a picture is sharpened, as a part of a sentence. */
export function SharpenChoice({
  label,
  value,
  onChange,
}: {
  label: string;
  value: number | null;
  onChange: (sharpen: number | null) => void;
}) {
  const none = 'none';
  return (
    <Choice
      label={label}
      value={value === null ? none : String(value)}
      shown={sharpenWords(value)}
      options={[
        { value: none, name: sharpenWords(null) },
        ...sharpenSteps.map(({ amount }) => ({
          value: String(amount),
          name: sharpenWords(amount),
          more: `an unsharp mask by ${amount}`,
        })),
      ]}
      onChange={(next) => onChange(next === none ? null : Number(next))}
    />
  );
}
