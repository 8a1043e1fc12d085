import { toShape } from '../../../contract/document.ts';
import { pathAt } from '../../../core/shapes/interpolate.ts';
import { sharpPoints } from '../../../core/shapes/shape.ts';
import { useDocument } from '../../document/documentStore.ts';
import { copyShape } from '../../document/edits.ts';
import { atHome } from '../../document/trackEdits.ts';
import { boundsOf, middleOfPath, type Place } from '../../marks/pathEdits.ts';
import { useStage } from './stageStore.ts';

/**
 * Makes another shape like the chosen one, and chooses it. Its middle comes to a place of the frame (px), or it comes beside
 * the first one, if there is no place. It has the same keys and rides on the same track.
 */
export function useShapeCopy(): (frame: number, at?: Place) => void {
  const doc = useDocument();
  const stage = useStage();
  return (frame, at) => {
    const { removalId, shapeId } = stage;
    const { tracks } = doc.document;
    const node = doc.document.removals[removalId]?.shapes[shapeId];
    if (!node || node.matte || node.outline) return;
    const points = pathAt({ ...toShape(shapeId, node, 0, tracks), visible: undefined }, frame);
    if (!points) return;
    const middle = middleOfPath(points);
    const to = at ?? { x: middle.x + boundsOf(points).width, y: middle.y };
    const [from, there] = atHome(node, tracks, sharpPoints([middle.x, middle.y, to.x, to.y]), frame);
    let id = '';
    doc.edit('Copy a shape', (draft) => {
      id = copyShape(draft.removals[removalId], shapeId, there.x - from.x, there.y - from.y);
    });
    stage.selectShape(id);
  };
}
