/** A command line that cannot be followed: a missing file, an unknown option. One line for the person. */
export class UsageError extends Error {}
