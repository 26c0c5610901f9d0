export { findFileProofProblem, FileProofShape, proveFiles, type FileProof, type Paths } from './fileProof';
export { reportOf, type Report } from './report';
export {
  LayoutProofShape,
  proveLayout,
  type Difference,
  type Fill,
  type Grade,
  type LayoutProof,
} from './layoutProof';
export { ManifestReader, type Manifest, type ManifestHead } from './manifest';
export { measureSheet, computeMeasuredRates, type MeasuredRate, type MeasuredRun } from './measured';
