/** A copy of what is drawn already, for what is mixed with it by more than the card's own blending. */
import { NearestFilter, WebGLRenderTarget, type IUniform, type WebGLRenderer } from 'three';

export class Beneath {
  #copy: WebGLRenderTarget | null = null;

  /** Copy what is drawn so far into a uniform. */
  take(renderer: WebGLRenderer, into: IUniform) {
    const from = renderer.getRenderTarget();
    if (!from) return;
    const { width, height, texture } = from;
    if (this.#copy && this.#copy.texture.type !== texture.type) this.dispose();
    this.#copy ??= new WebGLRenderTarget(width, height, {
      type: texture.type,
      minFilter: NearestFilter,
      magFilter: NearestFilter,
      generateMipmaps: false,
      depthBuffer: false,
    });
    this.#copy.setSize(width, height);
    renderer.initRenderTarget(this.#copy);
    const gl = renderer.getContext() as WebGL2RenderingContext;
    const drawn = buffersOf(renderer, from);
    const source = drawn.__webglMultisampledFramebuffer ?? drawn.__webglFramebuffer;
    gl.bindFramebuffer(gl.READ_FRAMEBUFFER, source);
    gl.bindFramebuffer(gl.DRAW_FRAMEBUFFER, buffersOf(renderer, this.#copy).__webglFramebuffer);
    gl.blitFramebuffer(0, 0, width, height, 0, 0, width, height, gl.COLOR_BUFFER_BIT, gl.NEAREST);
    gl.bindFramebuffer(gl.FRAMEBUFFER, source); // as three takes it to be
    into.value = this.#copy.texture;
  }

  dispose() {
    this.#copy?.dispose();
    this.#copy = null;
  }
}

interface Buffers {
  __webglFramebuffer: WebGLFramebuffer;
  __webglMultisampledFramebuffer?: WebGLFramebuffer;
}
const buffersOf = (renderer: WebGLRenderer, target: WebGLRenderTarget) =>
  renderer.properties.get(target) as Buffers;
