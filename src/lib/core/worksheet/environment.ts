import { guarded, type SheetContext } from './context';
import type { Script } from './sheet';
import { stop } from '../steps/powershell/guard';

/** The command of the recovery environment, behind guards for the partition that it is to be on after so many steps. */
export const environmentScript = (
  context: SheetContext,
  steps: number,
  partition: number,
  on: boolean,
): Script =>
  guarded(context, steps, `recovery environment ${on ? 'on' : 'off'}`, partition, [
    `reagentc.exe ${on ? '/enable' : '/disable'}`,
    `if ($LASTEXITCODE -ne 0) { ${stop(`the recovery environment did not switch ${on ? 'on' : 'off'}. Read what it said above.`, false)} }`,
    'reagentc.exe /info',
  ]);
