import jsonpatch from 'fast-json-patch';
import { shotDocument } from '../../contract/documentSchema.ts';
import type { ShotDocument } from '../../contract/document.ts';
import type { PatchOperation } from '../../contract/shots.ts';
import { AppError } from '../../core/errors.ts';

/** What an edit of a document comes to. */
export interface AppliedPatch {
  document: ShotDocument;
  /** Takes the patch back. */
  inverse: PatchOperation[];
}

/**
 * Applies a patch (RFC 6902) to a document; the document stays as it is.
 *
 * @param rebased - The patch was made on an older revision: what does not fit is then a conflict, not a mistake.
 * @throws AppError `conflict`, `bad_patch`, `bad_document`.
 */
export function applyEdit(before: ShotDocument, patch: readonly PatchOperation[], rebased: boolean): AppliedPatch {
  let after: ShotDocument;
  try {
    const copy = structuredClone(before);
    after = jsonpatch.applyPatch(copy, patch as jsonpatch.Operation[], true, true, true).newDocument;
  } catch (error) {
    const reason = (error as Error).name.replaceAll('_', ' ').toLowerCase();
    if (rebased) {
      throw new AppError(
        'conflict',
        'This was changed in another page meanwhile, and your change does not fit any more. Look, and make it again.',
      );
    }
    throw new AppError('bad_patch', `The patch cannot be applied: ${reason}.`);
  }
  const { error, value } = shotDocument.validate(after);
  if (error) throw new AppError('bad_document', `The change would break the document: ${error.message}.`);
  return { document: value as ShotDocument, inverse: jsonpatch.compare(after, before) as PatchOperation[] };
}
