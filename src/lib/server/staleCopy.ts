/** A save came too late: somebody else saved the same since it was opened. */
export class StaleCopy extends Error {
  constructor(readonly current: number) {
    super(`it is at version ${current} by now`);
  }
}
