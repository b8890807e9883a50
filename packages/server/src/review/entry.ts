/** The cookie of those who have said a link's password, for that link's addresses alone. */
export const entryCookie = 'mivvy-review';
