import Button from '@mui/material/Button';
import { useState } from 'react';
import styles from './people.module.css';

/** A secret that is shown this once. */
export function ToldOnce({
  said,
  secret,
}: {
  /** What it is, in a sentence. */ said: string;
  secret: string;
}) {
  const [copied, setCopied] = useState(false);
  return (
    <div className={styles.once} role="status">
      <p>{said}</p>
      <p className={`mono ${styles.secret}`} data-testid="told-once">
        {secret}
      </p>
      <Button
        size="small"
        variant="outlined"
        onClick={() => void navigator.clipboard.writeText(secret).then(() => setCopied(true))}
      >
        {copied ? 'Copied' : 'Copy'}
      </Button>
    </div>
  );
}
