import Button from '@mui/material/Button';
import { useState } from 'react';
import styles from './people.module.css';

/** A secret that is shown this once. */
export function ToldOnce({ what, secret }: { what: string; secret: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <div className={styles.once} role="status">
      <p>This is {what}. It is shown here only once.</p>
      <p className={`mono ${styles.secret}`} data-testid="told-once">
        {secret}
      </p>
      <Button
        size="small"
        variant="outlined"
        onClick={() => void navigator.clipboard.writeText(secret).then(() => setCopied(true))}
      >
        {copied ? 'Copied' : 'Copy it'}
      </Button>
    </div>
  );
}
