/** The address: / lists projects, /project/7/sight is a station of one. */
import { playhead } from './playhead.svelte';
import { tool } from './tool.svelte';

class Route {
  project = $state<number | null>(null);
  station = $state('');

  read = () => {
    const [, word, id, station] = location.pathname.split('/');
    this.project = word === 'project' && /^\d+$/.test(id ?? '') ? Number(id) : null;
    this.station = station ?? '';
  };

  go(project: number | null, station = 'still') {
    history.pushState(null, '', project === null ? '/' : `/project/${project}/${station}`);
    tool.putDown();
    playhead.playing = false;
    this.read();
  }
}

export const route = new Route();
