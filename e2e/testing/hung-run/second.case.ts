import { test } from '@playwright/test';

// The process that lists the tests loads it as well, and is not to hang.
if (process.env.TEST_WORKER_INDEX !== undefined) await new Promise(() => setInterval(() => undefined, 1000));

test('never begun', () => undefined);
