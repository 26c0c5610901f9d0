import { makeInvitationAddress, inviteNow } from './invitations';
import { hasOwner } from './people';

/**
 * Where nobody can let people in yet, an address is printed with which the first owner signs in: once, within a day.
 * Another start prints another, and the one before is good no longer.
 */
export async function inviteFirstOwner(): Promise<void> {
  if (await hasOwner()) return;
  const address = makeInvitationAddress(await inviteNow('owner', null));
  // Not through the log, which is kept: whoever starts the server sees it.
  console.log(
    `\nNobody signs in here yet. The first owner begins at this address (once, within 24 hours):\n  ${address}\n`,
  );
}
