import Button from '@mui/material/Button';

/** Puts a change that somebody else was quicker than on top of theirs. */
export function OnTop({ onClick }: { onClick: () => void }) {
  return (
    <Button color="inherit" size="small" onClick={onClick}>
      Put mine on top
    </Button>
  );
}
