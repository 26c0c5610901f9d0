import type { RunPlace } from '$contract/rehearsalStates';

/** What a run is called on the screen, by what it is carried out on. */
export interface PlaceWords {
  title: string;
  /** What it means for whoever owns the disk. */
  lead: string;
  /** What the pace like the drive's is called, and what it is for. */
  gently: string;
  paceWhy: string;
  end: string;
  /** What ending it before its time comes to. */
  ends: string;
  cancelled: string;
  failed: string;
}

/** @param image the image that it is carried out on, or that the copy is made of */
export function chooseWords(place: RunPlace, image: string | null): PlaceWords {
  const onImage = {
    gently: 'Gently',
    paceWhy: 'No faster than this kind of drive copies, so that the server’s other work goes on.',
    failed: 'It could not be carried out',
  };
  switch (place) {
    case 'stand-in':
      return {
        title: 'Rehearsal on a stand-in disk',
        lead: 'Nothing of the customer’s is touched. What Windows does is played by the bench as well.',
        gently: 'Like the drive',
        paceWhy: 'As fast as this kind of drive copies; in time-lapse where that would take long.',
        end: 'End the rehearsal',
        ends: '',
        cancelled: 'The stand-in is gone. Nothing came of it.',
        failed: 'It could not be rehearsed',
      };
    case 'copy':
      return {
        ...onImage,
        title: `The route on a copy of ${image}`,
        lead: `${image} stays as it is. The copy lies beside it in the folder of images, and can be downloaded once everything on it is proved.`,
        end: 'End it, and throw the copy away',
        ends: '',
        cancelled: 'The copy is gone. Nothing came of it.',
      };
    case 'image':
      return {
        ...onImage,
        title: `The route on ${image} itself`,
        lead: `This is the machine’s own disk: leave the machine switched off until it is done. A journal lies beside the image, so that whatever stops the run it goes on, or the step is taken back.`,
        end: 'End it here',
        ends: 'The step in hand is taken back; those before it stay.',
        cancelled:
          'The step in hand was taken back; those before it stay as they are. Survey the image again.',
      };
  }
}
