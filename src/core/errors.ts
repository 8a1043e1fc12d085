/** `code` is for programs: command line, workers and HTTP carry it. `message` is for people and says what to do. */
export class AppError extends Error {
  constructor(
    readonly code: string,
    message: string,
    /** Values that belong to the message, for programs. */
    readonly details: Readonly<Record<string, unknown>> = {},
  ) {
    super(message);
  }
}
