/** The shapes of the library. */
import type { Level } from '../core/findings/finding.js';
import type { Access } from '../core/hosting/bucket-view.js';
import type { Progress } from '../jobs/progress.js';
import type { CheckJson } from '../report/json/check-json.js';
import type { HistoryJson, ReleaseChangesJson } from '../report/json/history-json.js';
import type { PublishJson } from '../report/json/publish-json.js';
import type { SurveyJson } from '../report/json/survey-json.js';
import type { TraceJson } from '../report/json/trace-json.js';

export interface OpenOptions {
  /** The config; `fenestra.yaml` in the working folder without it. */
  readonly config?: string;
  /** The destination; the first without it. */
  readonly to?: string;
  /** Is told of the steps of everything that the project does. */
  readonly progress?: Progress;
}

export interface SurveyOptions {
  /** Only keys that match a pattern. */
  readonly matching?: string;
  /** Only a media range such as `image/*`. */
  readonly type?: string;
  /** Only objects for which this rule of the config decided something. */
  readonly rule?: number;
}

export interface PublishOptions {
  /** Only looks: `release` is null. */
  readonly dryRun?: boolean;
  /** Publishes exactly the change list with this code, which a dry run gave, or refuses. */
  readonly agreed?: string;
  /** Only keys that match a pattern; settings stay. */
  readonly matching?: string;
  /** The destination at which it was rehearsed: exactly what it holds is published, or nothing. */
  readonly like?: string;
  /** Overwrites what somebody else has changed of the site; a pattern also removes what it matches of what they have added. */
  readonly overForeign?: boolean | string;
  /** A message to keep with the release. */
  readonly note?: string;
  /** The bucket's name, where a change asks for it: it removes most of a bucket, or lets anyone read more. */
  readonly sure?: string;
  /** Checks the release before it counts; CHECK_FAILED where it does not pass. */
  readonly prove?: boolean | { readonly failOn?: Level };
}

export interface CheckOptions {
  /** The endpoint to ask; our own emulation without it. */
  readonly at?: string | URL;
  /** Asks our own emulation beside the endpoint. */
  readonly both?: boolean;
  /** Asks for every object instead of a sample. */
  readonly all?: boolean;
  /** Lists what hosts set up in other common ways would answer differently. */
  readonly everywhere?: boolean;
  readonly expect?: Access;
  readonly failOn?: Level;
  /** Requests under way at once. */
  readonly concurrency?: number;
  /** Requests a second at most. */
  readonly rate?: number;
  /** Seconds for a small answer to be whole; a large object has more, by its size. */
  readonly answerTime?: number;
  /** Certificates, as PEM, of those that are trusted beside the usual ones. */
  readonly ca?: string;
  /** Seconds for all answers. */
  readonly runTime?: number;
}

export interface TraceOptions {
  readonly method?: string;
  /** Names in any case. */
  readonly headers?: Readonly<Record<string, string>>;
  /** A live endpoint to ask the same. */
  readonly at?: string | URL;
  /** Seconds for a small answer to be whole; a large object has more, by its size. */
  readonly answerTime?: number;
  /** Certificates, as PEM, of those that are trusted beside the usual ones. */
  readonly ca?: string;
}

export interface ServeOptions {
  /** Hosts the site folder as it would be published, open, and follows edits. */
  readonly unpublished?: boolean;
  /** Any free port without it. */
  readonly port?: number;
  readonly host?: string;
}

/** A server at work. */
export interface Served {
  /** The address of the project's bucket on it, with a closing slash. */
  readonly address: string;
  readonly port: number;
  /** Every bucket that was there when it began. */
  readonly buckets: readonly string[];
  /**
   * Asks the project's bucket for a path and follows no redirect. Unlike the global `fetch` it knows where names under
   * `localhost` are on every machine.
   */
  fetch(
    path: string,
    init?: { readonly method?: string; readonly headers?: Readonly<Record<string, string>> },
  ): Promise<Response>;
  close(): Promise<void>;
}

/** A project opened. Nothing is held open between calls. */
export interface Project {
  readonly bucket: string;
  /** The name of the store in the config. */
  readonly store: string;
  /** The public base address, with a closing slash. */
  readonly address: string;
  survey(options?: SurveyOptions): Promise<SurveyJson>;
  /** Publishes without asking; what asks for the bucket's name needs it as `sure`. */
  publish(options?: PublishOptions): Promise<PublishJson>;
  /** `passed` says whether it works. */
  check(options?: CheckOptions): Promise<CheckJson>;
  /** @param address a path, or a whole URL, whose host then names the bucket */
  trace(address: string, options?: TraceOptions): Promise<TraceJson>;
  serve(options?: ServeOptions): Promise<Served>;
  history(): Promise<HistoryJson>;
  /** What one release changed. */
  history(release: number): Promise<ReleaseChangesJson>;
  /** Lets the public in, or shuts everyone out. @param sure the bucket's name */
  access(access: 'open', sure: string): Promise<void>;
  access(access: 'close'): Promise<void>;
}
