/** What the address holds of the logbook: what is looked for, and the runs that are compared. */
export interface LogbookState {
  title?: string;
  place?: string;
  words?: string;
  starred?: boolean;
  /** Runs that were looked at and not kept, instead of those that were kept. */
  looked?: boolean;
  compare?: number[];
  /** Whether they are run with days, account and costs of the oldest. */
  alike?: boolean;
}
