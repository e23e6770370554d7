/** Waits for Ctrl-C, SIGTERM or the terminal to go away. A second one ends the process at once. */
export function untilStopped(): Promise<void> {
  return new Promise((done) => {
    const stop = (): void => {
      process.once('SIGINT', () => process.exit(130));
      process.once('SIGTERM', () => process.exit(143));
      done();
    };
    process.once('SIGHUP', stop);
    process.once('SIGINT', stop);
    process.once('SIGTERM', stop);
  });
}
