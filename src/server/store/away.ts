/** Names of errors that mean that the database cannot be reached just now. */
const NAMES = /^Sequelize(Connection|HostNot|AccessDenied|InvalidConnection)/;
/** And what the driver says where it has no name for it. */
const MESSAGES =
  /terminating connection|ECONNREFUSED|ECONNRESET|Connection terminated|not queryable|system is (starting up|shutting down)/;

/** Whether a failure is that of the connection to the database, and not of what was asked of it: to be tried again. */
export function isDatabaseAway(error: unknown): boolean {
  const { name = '', message = '' } = error as { name?: string; message?: string };
  return NAMES.test(name) || MESSAGES.test(message);
}
