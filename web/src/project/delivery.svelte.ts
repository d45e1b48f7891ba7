/** One kind of delivery that a station asks for and hands out where it stands. */
import { api, type DeliveryOut } from '../lib/api/client';

export class Delivery {
  last = $state.raw<DeliveryOut | null>(null);
  trouble = $state('');
  readonly making = $derived(this.last?.state === 'waiting' || this.last?.state === 'rendering');

  constructor(
    readonly kind: DeliveryOut['kind'],
    private project: () => number,
  ) {
    $effect(() => {
      void this.project();
      void this.look();
    });
    $effect(() => {
      if (!this.making) return;
      const turn = setInterval(() => void this.look(), 500);
      return () => clearInterval(turn);
    });
  }

  async look() {
    const { data } = await api
      .GET('/api/projects/{id}/deliveries', { params: { path: { id: this.project() } } })
      .catch(() => ({ data: undefined }));
    if (data) this.last = data.find((d) => d.kind === this.kind) ?? null;
  }

  async make() {
    this.trouble = '';
    const { data, error } = await api.POST('/api/projects/{id}/deliveries', {
      params: { path: { id: this.project() } },
      body: { kind: this.kind },
    });
    if (data) this.last = data;
    else this.trouble = error?.message ?? 'That did not work; nothing was made.';
  }

  cancel() {
    return api
      .POST('/api/deliveries/{id}/cancel', { params: { path: { id: this.last!.id } } })
      .then(() => this.look());
  }
}
