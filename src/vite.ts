/**
 * Dorlin in Vite: the guard before `vite dev` and `vite preview`, and a sealed site from `vite build`.
 * @module
 */
export { dorlin, type DorlinOptions, type SealOnBuild } from './vite/plugin.js';
