// Figures while something is dragged are asked for as fast as they come: the
// latest only.

/** What a screen with take(state), busy and trouble is given. */
export const latest = {
  wanted: null, asking: false,

  async peek(request) {
    this.wanted = request;
    if (this.asking) return;
    this.asking = true;
    while (this.wanted) {
      const next = this.wanted;
      this.wanted = null;
      try {
        const state = await next();
        if (!this.busy) this.take(state);
      } catch (refused) {
        this.trouble = refused.message;
      }
    }
    this.asking = false;
  },
};
