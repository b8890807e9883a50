import { dayWords, readDay } from '../days.ts';
import { EditableText } from '../editable-text.tsx';

/** A day inside a sentence that can be changed where it stands; an emptied field means none. */
export function EditableDay({
  label,
  value,
  none,
  onChange,
}: {
  label: string;
  value: string | null;
  /** What stands there where no day is said. */
  none: string;
  onChange: (day: string | null) => void;
}) {
  return (
    <EditableText
      label={label}
      value={value ? dayWords(value) : ''}
      shown={value ? dayWords(value) : none}
      hint="2 Jun, 2.6. or 2027-06-02; empty: no day"
      wrong={(text) => (text.trim() === '' || readDay(text) ? undefined : 'No day that can be read')}
      onChange={(text) => onChange(text.trim() === '' ? null : readDay(text)!)}
    />
  );
}
