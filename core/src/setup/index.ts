export {
  DETAILS,
  LENS_MODES,
  MARK_GROUNDS,
  MARK_KINDS,
  MOVE_KINDS,
  NO_SETUP_FACTS,
  PIECE_KINDS,
  STABILISER,
  SYNCS,
  type CameraMove,
  type Detail,
  type MarkGround,
  type MarkKind,
  type MoveKind,
  type MoveStation,
  type ObjectStation,
  type PieceKind,
  type PlannedMark,
  type PlannedMeasures,
  type PlannedSetup,
  type SetPiece,
  type SetupFacts,
} from './planned-setup';
export { DETAIL_FEATURES, PIECE_EDGES, featuresOf, fromPiece, hasBody, hides, inside, pieceCorners, toPiece, type SetFeature } from './set-piece';
export { checkMove, momentAt, momentBeforeObject, moveDurationS, objectPoseAt, sampleMove, toCameraOf, type CameraMoment } from './move';
export { STUDY_MOMENTS, adapterOf, exposureS, inFrame, pointsOf, projectAt, runPx, studySetup, trackingCocMm, type SetupStudy, type StudyPoint } from './study-setup';
export { wirePicture, type WirePicture } from './wire-picture';
