/** A volume is too full or too small for what it is to hold. */
export class NoSpace extends Error {}
