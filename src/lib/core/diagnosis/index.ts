export {
  diagnose,
  DiagnosisRequestShape,
  DiagnosisShape,
  type Diagnosis,
  type DiagnosisRequest,
} from './diagnose';
