/** Functions of `./backup` and `./restore`, bundled into one file with the build. */
export { config } from '../../platform/settings/config';
export { makeBackup } from './backup';
export { listBackups } from './list';
export { goBack, restoreBackup } from './restore';
