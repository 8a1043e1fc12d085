import joiToSwagger from 'joi-to-swagger';
import type { ObjectSchema } from 'joi';
import { STATUS } from '../../contract/errors.ts';
import type { Endpoint } from './endpoint.ts';

const ERROR = {
  description: `Failed; \`code\` is one of ${Object.keys(STATUS).join(', ')}`,
  content: { 'application/json': { schema: { $ref: '#/components/schemas/Error' } } },
};

/** Describes the API as OpenAPI 3.1, from the endpoints and the schemas that check what comes in. */
export function openApi(endpoints: readonly Endpoint[]): object {
  const paths: Record<string, Record<string, object>> = {};
  for (const endpoint of endpoints) {
    const path = `/api${endpoint.path.replace(/:(\w+)/g, '{$1}')}`;
    (paths[path] ??= {})[endpoint.method] = operation(endpoint);
  }
  return {
    openapi: '3.1.0',
    info: { title: 'Mnestra', version: '1', description: 'Everything that the page does goes through this API.' },
    paths,
    components: {
      schemas: {
        Error: {
          type: 'object',
          required: ['code', 'message'],
          properties: { code: { type: 'string' }, message: { type: 'string' } },
        },
      },
    },
  };
}

function operation({ summary, params, query, body, status = 200, answers }: Endpoint): object {
  return {
    summary,
    parameters: [...parametersOf(params, 'path'), ...parametersOf(query, 'query')],
    ...(body && { requestBody: { required: true, content: { 'application/json': { schema: schemaOf(body) } } } }),
    responses: {
      [status]: {
        description: status === 204 ? 'Done' : summary,
        ...(status !== 204 && { content: { [answers ?? 'application/json']: {} } }),
      },
      default: ERROR,
    },
  };
}

const schemaOf = (schema: ObjectSchema): { properties?: Record<string, object> } =>
  joiToSwagger.default(schema).swagger as { properties?: Record<string, object> };

function parametersOf(params: ObjectSchema | undefined, place: 'path' | 'query'): object[] {
  const { properties = {} } = params ? schemaOf(params) : {};
  return Object.entries(properties).map(([name, schema]) => ({ name, in: place, required: place === 'path', schema }));
}
