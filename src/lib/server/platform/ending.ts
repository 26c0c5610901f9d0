/**
 * What the process is told once the server is to end: nothing new is begun, and what goes on for as long as somebody
 * listens ends.
 */
export const ENDING = 'gentle-tide:ending';
