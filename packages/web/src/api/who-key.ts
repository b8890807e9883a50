/** Where the browser remembers who sits here. */
export const whoKey = 'mivvy.who';
