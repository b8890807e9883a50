/** What has become of one finished file outside the house. */
export const handovers = ['none', 'in-review', 'changes-asked', 'approved', 'dispatched', 'live'] as const;
export type Handover = (typeof handovers)[number];

/** A dated fact about one file, told by the sum of its bytes: what was shown, answered or sent was those bytes. */
export interface FileFact {
  kind: 'shown' | 'approved' | 'changes-asked' | 'answer-withdrawn' | 'sent' | 'live' | 'taken-down';
  sha256: string;
}

/**
 * What has become of a file, from everything that happened, oldest first. Facts about other bytes are none of its own:
 * an approval never outlives a changed byte. Changes that are asked for after it went out are told before that it did.
 */
export function handoverOf(sha256: string, facts: readonly FileFact[]): Handover {
  let review: Handover = 'none';
  let sent: Handover = 'none';
  for (const fact of facts) {
    if (fact.sha256 !== sha256) continue;
    switch (fact.kind) {
      case 'shown':
        if (review === 'none') review = 'in-review';
        break;
      case 'approved':
        review = 'approved';
        break;
      case 'changes-asked':
        review = 'changes-asked';
        break;
      case 'answer-withdrawn':
        review = 'in-review';
        break;
      case 'sent':
        if (sent !== 'live') sent = 'dispatched';
        break;
      case 'live':
        sent = 'live';
        break;
      case 'taken-down':
        sent = 'none';
        break;
    }
  }
  return review === 'changes-asked' || sent === 'none' ? review : sent;
}
