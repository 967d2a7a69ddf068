/**
 * Dorlin on many machines and for many sites, by Redis.
 * @module
 */
export { type GuardPorts, type NodeGuard } from './stores/file-guard.js';
export { type RedisClient } from './stores/redis/client.js';
export { type StoreNews } from './stores/redis/follow.js';
export { type ManySitesOptions } from './stores/redis/every-site.js';
export { type OneSharedPolicy, type SharedPolicies, type SharedPolicyNews } from './stores/redis/policies.js';
export { type RedisSites, type SiteToPut, type StoredSite } from './stores/redis/sites.js';
export {
  guardFromRedis,
  guardsFromRedis,
  redisStores,
  type RedisGuard,
  type RedisGuardOptions,
  type RedisOptions,
  type RedisStores,
} from './stores/redis/stores.js';
