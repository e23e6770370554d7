/** What a report says beside the outcome. */
export interface ReportContext {
  /** The public address of the site. */
  readonly address: string;
  /** The folder of the config, from the root of its repository: `web/`; '' where it is that. */
  readonly folder: string;
  /** The site folder, the same way; absolute where it is outside. */
  readonly site: string;
  readonly version: string;
  /** The file of the installed program that explains each rule, absolute; undefined where it is not there. */
  readonly rules?: string | undefined;
}
