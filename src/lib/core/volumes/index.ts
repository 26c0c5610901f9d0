export { recogniseVolume, type Recognition } from './recognise';
