/** Body of every failed answer. */
export interface ErrorBody {
  code: string;
  message: string;
}

/** HTTP status by error code; what is not listed is a fault of ours: 500. */
export const STATUS: Readonly<Record<string, number>> = {
  bad_request: 400,
  bad_host: 400,
  bad_range: 400,
  bad_document: 400,
  bad_patch: 400,
  bad_origin: 403,
  not_found: 404,
  not_ready: 409,
  conflict: 409,
  nothing_to_undo: 409,
  nothing_to_redo: 409,
  no_marks: 409,
  no_pick: 409,
  not_whole: 409,
  no_outline: 409,
  no_donor: 409,
  outline_failed: 500,
  disk_full: 507,
  unavailable: 503,
};
