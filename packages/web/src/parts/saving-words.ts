/** How the saving of what is in the hand goes, in words. */
export const savingWords = {
  saved: 'Saved.',
  waiting: 'Saving …',
  sending: 'Saving …',
  failed: 'Not saved yet; trying again.',
};
