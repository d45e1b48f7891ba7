/** The flat plate, and the bent one back. */
import { project } from '../../project/project.svelte';

export async function flatten() {
  project.say('Flattening the plate…');
  await project.keep({ verb: 'Flatten' });
}

export async function bendBack() {
  project.say('Bringing the bent plate back…');
  const kept = await project.keep({ verb: 'BendBack' });
  if (kept && project.scene?.proxies.length)
    project.say('The proxies wait unseen until the plate is flattened again.');
}
