/** Connections that are kept, some for each origin. */
import { Dispatcher, Pool } from 'undici';

/**
 * A pool an origin, for as long as this lives. undici's own Agent gives a pool up once none of its connections is open,
 * as after a lone HEAD, and goes on with a second one whose count those of the first spoil: from then on each request
 * has a connection of its own.
 */
export class Pools extends Dispatcher {
  readonly #options: Pool.Options;
  readonly #pools = new Map<string, Pool>();

  constructor(options: Pool.Options) {
    super();
    this.#options = options;
  }

  override dispatch(options: Dispatcher.DispatchOptions, handler: Dispatcher.DispatchHandler): boolean {
    const origin = String(options.origin ?? '');
    let pool = this.#pools.get(origin);
    if (!pool) this.#pools.set(origin, (pool = new Pool(origin, this.#options)));
    return pool.dispatch(options, handler);
  }

  /** Lets what is under way finish. */
  override async close(): Promise<void> {
    await Promise.all([...this.#pools.values()].map((pool) => pool.close()));
  }

  /** Ends what is under way. */
  override async destroy(): Promise<void> {
    await Promise.all([...this.#pools.values()].map((pool) => pool.destroy()));
  }
}
