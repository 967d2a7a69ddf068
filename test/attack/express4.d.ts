declare module 'express4' {
  import express from 'express';
  export default express;
}
