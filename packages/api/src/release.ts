/** What release this is. */
export const release = '0.1.0';
