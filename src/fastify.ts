/**
 * Dorlin in Fastify 5, as a plugin.
 * @module
 */
export { guardFastify, type GuardFastifyOptions } from './adapters/fastify.js';
