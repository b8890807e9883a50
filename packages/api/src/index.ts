export * from './schemas.ts';
export { openApiDocument, operations } from './openapi.ts';
