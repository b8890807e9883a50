/** What a finished file is, by its container, for those who fetch it. */
export const mediaTypes = { mp4: 'video/mp4', mov: 'video/quicktime', webm: 'video/webm' } as const;
