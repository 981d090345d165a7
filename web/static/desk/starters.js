// The starters of one placement, each drawn as this document would stand.
import { ask } from './ask.js';
import { drawing, imageFrom } from './drawing.js';

/** @type {() => Component & { scene: StartersScene }} */
export const starters = () => ({
  trouble: '',
  scene: JSON.parse(document.getElementById('state').textContent),

  init() {
    const { cards } = this.scene;
    const image = imageFrom(this.scene);
    for (const root of this.$el.querySelectorAll('[data-card]')) {
      const [phone, laptop] = cards[Number(root.dataset.card)];
      root.append(drawing(phone, 84, image), drawing(laptop, 240, image));
    }
  },
  async start(name) {
    try {
      await ask('POST', `/placements/${this.scene.id}/starter`, { revision: this.scene.revision, starter: name });
      location.assign(`/placements/${this.scene.id}`);
    } catch (refused) {
      this.trouble = refused.message;
    }
  },
});
