/** Fenestra for build scripts and test suites: the jobs of the commands, with the data of their `--json`. */
export { FenestraError, type Details, type ErrorCode } from '../core/errors/catalogue.js';
export type { Finding, Level } from '../core/findings/finding.js';
export type { Access, BucketSettings, BucketView } from '../core/hosting/bucket-view.js';
export { applyPlan, type AppliedPlan } from '../core/release/apply-plan.js';
export type { ReleasePlan, ReleaseRecord } from '../core/release/release.js';
export type { ObjectHeaders, SiteObject, StoredObject } from '../core/site/site-object.js';
export type { Amount, Progress, StepName } from '../jobs/progress.js';
export type { CheckJson, FailureJson } from '../report/json/check-json.js';
export type { HistoryJson, ReleaseChangesJson, ReleaseJson } from '../report/json/history-json.js';
export type { PublishJson } from '../report/json/publish-json.js';
export type { SurveyedObjectJson, SurveyJson } from '../report/json/survey-json.js';
export type { TraceJson } from '../report/json/trace-json.js';
export type * from '../stores/port.js';
export { openProject } from './open-project.js';
export type {
  CheckOptions,
  OpenOptions,
  Project,
  PublishOptions,
  Served,
  ServeOptions,
  SurveyOptions,
  TraceOptions,
} from './project.js';
