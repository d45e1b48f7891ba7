/** The address: / lists projects, /project/7/sight is a station of one. */
import { desk, STATIONS, type Station } from './desk.svelte';

class Route {
  project = $state<number | null>(null);

  read = () => {
    const [, word, id, station] = location.pathname.split('/');
    this.project = word === 'project' && /^\d+$/.test(id ?? '') ? Number(id) : null;
    desk.station = STATIONS.find((s) => s === station) ?? 'still';
  };

  go(project: number | null, station: Station = 'still') {
    history.pushState(null, '', project === null ? '/' : `/project/${project}/${station}`);
    desk.tool = 'none';
    desk.playing = false;
    this.read();
  }
}

export const route = new Route();
