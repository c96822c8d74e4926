import type { Schemas } from "../api/client";
import { ProblemError, unwrap } from "../api/client";
import type { FieldData } from "../shared/FieldSet";

export type SumAnswer = Schemas["SumShape"];

/** A sum as the interface's description tells it. */
export type SumForm = {
  key: string;
  stage: string;
  title: string;
  purpose: string;
  fields: FieldData[];
  examples: Record<string, string>;
};

type Property = {
  title: string;
  enum?: string[];
  const?: string;
  unit?: string;
  multiline?: boolean;
  examples?: string[];
};
type Operation = {
  summary: string;
  description: string;
  "x-stage"?: string;
  requestBody: { content: { "application/json": { schema: { $ref: string } } } };
};
type Description = {
  paths: Record<string, { post?: Operation }>;
  components: {
    schemas: Record<string, { properties?: Record<string, Property>; required?: string[] }>;
  };
};

const PLACE = "/api/sums/";

/** Every sum of the interface's description, in its order. */
export function formsOf(described: Description): SumForm[] {
  return Object.entries(described.paths).flatMap(([path, { post }]) => {
    if (!path.startsWith(PLACE) || !post) return [];
    const name = post.requestBody.content["application/json"].schema.$ref.split("/").at(-1) ?? "";
    const schema = described.components.schemas[name] ?? {};
    const properties = Object.entries(schema.properties ?? {});
    return [
      {
        key: path.slice(PLACE.length),
        stage: post["x-stage"] ?? "",
        title: post.summary,
        purpose: post.description,
        fields: properties.map(([field, told]) => ({
          name: field,
          label: told.title,
          unit: told.unit ?? "",
          options: told.enum ?? (told.const === undefined ? [] : [told.const]),
          required: schema.required?.includes(field) ?? false,
          multiline: told.multiline ?? false,
          table: false,
        })),
        examples: Object.fromEntries(
          properties.map(([field, told]) => [field, told.examples?.[0] ?? ""]),
        ),
      },
    ];
  });
}

async function answered<T>(call: Promise<Response>): Promise<T> {
  return unwrap<T>(
    call.then(async (response) => {
      const content: unknown = await response.json();
      return response.ok ? { data: content as T } : { error: content };
    }),
  );
}

export const formsQuery = {
  queryKey: ["sums"],
  staleTime: Infinity,
  queryFn: async () => formsOf(await answered<Description>(fetch("/api/openapi.json"))),
};

export const answerQuery = (form: SumForm, values: Record<string, string>) => ({
  queryKey: ["sum", form.key, values],
  retry: (count: number, error: unknown) => !(error instanceof ProblemError) && count < 2,
  placeholderData: (before: SumAnswer | undefined) => before,
  queryFn: () =>
    answered<SumAnswer>(
      fetch(`${PLACE}${form.key}`, {
        method: "POST",
        headers: { "content-type": "application/json" },
        body: JSON.stringify(values),
      }),
    ),
});
