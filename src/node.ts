/**
 * Dorlin in Node: a guard over a policy file, as middleware or around a request listener.
 * @module
 */
export { guardUpgrades, type UpgradeHandler } from './adapters/node-upgrade.js';
export { visitOf } from './adapters/node-visit.js';
export { guardListener, guardMiddleware, type GuardMiddleware } from './adapters/node.js';
export {
  guardFromFile,
  guardFromPorts,
  type FileGuard,
  type FileGuardOptions,
  type GuardPorts,
  type NodeGuard,
} from './stores/file-guard.js';
export {
  editPolicyFile,
  followPolicy,
  loadPolicy,
  type FollowedPolicy,
  type PolicyNews,
} from './stores/policy-file.js';
export { memoryCounters } from './stores/counters-memory.js';
export { nativeHasher } from './stores/hasher.js';
export { hashingQueue } from './stores/hashing-queue.js';
export { nativeVerifier } from './stores/htpasswd-hashes.js';
export { fileLinkUses } from './stores/link-uses.js';
export { refusalDelay } from './stores/refusal-delay.js';
export { tokenKeysFrom } from './stores/token-keys.js';
export { fileJournal, readJournal, type FileJournal } from './stores/journal-file.js';
export { openKeys } from './stores/keeping.js';
