import type { Job } from '@mivvy/api';
import { useMoveJob } from '../../api/changes.ts';

/** The waiting jobs around one, by which it is moved. */
export interface QueuePlace {
  /** The one before which it would stand a place sooner; null where it is the next. */
  sooner: string | null;
  /** The one before which it would stand a place later; null for the end of the queue, undefined where it is the last. */
  later: string | null | undefined;
}

/** Moves a waiting job a place sooner or later. */
export function MoveButtons({ job, place }: { job: Job; place: QueuePlace }) {
  const move = useMoveJob(job.productionId);
  return (
    <>
      <button
        className="fix tall"
        aria-label={`${job.label}: sooner`}
        disabled={place.sooner === null || move.isPending}
        onClick={() => place.sooner && move.mutate({ jobId: job.id, before: place.sooner })}
      >
        Sooner
      </button>
      <button
        className="fix tall"
        aria-label={`${job.label}: later`}
        disabled={place.later === undefined || move.isPending}
        onClick={() => place.later !== undefined && move.mutate({ jobId: job.id, before: place.later })}
      >
        Later
      </button>
    </>
  );
}
