import LinearProgress from '@mui/material/LinearProgress';
import type { Machine } from '@mivvy/api';
import styles from './machines.module.css';

/** What a machine has in hand. */
export function Doing({ jobs }: { jobs: Machine['doing'] }) {
  return jobs.map((job) => (
    <div key={job.jobId} className={styles.doing}>
      <span className="clip" title={job.label}>
        {job.label}
      </span>
      <LinearProgress
        variant="determinate"
        value={job.fraction * 100}
        aria-label={`${job.label}, made so far`}
      />
      <span className="quiet">
        {job.stage || 'starting'}, {Math.round(job.fraction * 100)}&nbsp;%
      </span>
    </div>
  ));
}
