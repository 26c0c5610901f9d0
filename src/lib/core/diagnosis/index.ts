export { diagnose, type Diagnosis, type DiagnosisRequest } from './diagnose';
