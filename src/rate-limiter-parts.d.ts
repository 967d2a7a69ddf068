// The parts that are in use: the whole loads the limiters of every database.
declare module 'rate-limiter-flexible/lib/RateLimiterMemory.js' {
  export { RateLimiterMemory as default } from 'rate-limiter-flexible';
}
declare module 'rate-limiter-flexible/lib/RateLimiterRes.js' {
  export { RateLimiterRes as default } from 'rate-limiter-flexible';
}
