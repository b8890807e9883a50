import { useSnackbar } from 'notistack';
import type { Ref } from 'react';

/** A file chooser, unseen, that reads the text of the file that is chosen. It is opened by a click on its element. */
export function TextFileInput({
  ref,
  accept,
  testId,
  onText,
}: {
  ref: Ref<HTMLInputElement>;
  accept: string;
  testId: string;
  onText: (fileName: string, text: string) => void;
}) {
  const { enqueueSnackbar } = useSnackbar();
  const read = (file: File) => {
    file.text().then(
      (text) => onText(file.name, text),
      () =>
        enqueueSnackbar(`${file.name} could not be read. Check that it is still there.`, {
          variant: 'error',
        }),
    );
  };
  return (
    <input
      ref={ref}
      type="file"
      accept={accept}
      hidden
      data-testid={testId}
      onChange={(event) => {
        const file = event.target.files?.[0];
        if (file) read(file);
        event.target.value = '';
      }}
    />
  );
}
