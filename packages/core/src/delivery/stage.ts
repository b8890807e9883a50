import type { Handover } from './handover.ts';
import type { Standing } from './standing.ts';

/** Where a deliverable is on its whole way, from a wish to a film that is to be seen. */
export const stages = [
  'planned',
  'at-fault',
  'framed',
  'making',
  'not-made',
  'failed',
  'behind',
  'passed',
  'in-review',
  'changes-asked',
  'approved',
  'dispatched',
  'live',
] as const;
export type Stage = (typeof stages)[number];

/** How its making stands, before anybody outside has seen it. */
const making: Readonly<Record<Exclude<Standing, 'to-make' | 'passed'>, Stage>> = {
  blocked: 'at-fault',
  'at-fault': 'at-fault',
  queued: 'making',
  making: 'making',
  comparing: 'making',
  failed: 'not-made',
  'failed-check': 'failed',
  behind: 'behind',
  'changed-on-disk': 'behind',
};

/**
 * Where a deliverable is: never typed by anybody, always worked out from what is known. What became of its newest file
 * counts only while that file is what it should be.
 *
 * @param touched somebody, or what was seen, has framed it
 */
export function stageOf(standing: Standing, handover: Handover, touched: boolean): Stage {
  if (standing === 'to-make') return touched ? 'framed' : 'planned';
  if (standing === 'passed') return handover === 'none' ? 'passed' : handover;
  return making[standing];
}

/** What a deliverable waits for, in words. */
export const waitsFor: Readonly<Record<Stage, string>> = {
  planned: 'a look at its framing',
  'at-fault': 'a fault to be mended',
  framed: 'its export',
  making: 'the encoder',
  'not-made': 'another try',
  failed: 'a look at its report',
  behind: 'a new export',
  passed: 'somebody to see it',
  'in-review': 'the client’s answer',
  'changes-asked': 'the changes that the client asked for',
  approved: 'its dispatch',
  dispatched: 'the outlet’s word that it is live',
  live: 'nothing',
};
