export { recogniseVolume, type Recognition } from './recognise';
export { readNtfs, type NtfsFacts } from './ntfs/readNtfs';
export { NtfsDamage } from './ntfs/volume';
