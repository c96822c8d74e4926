import { Box, Flex, Grid, Heading, Input, Stack, Table, Text } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { client, once, unwrap } from "../../api/client";
import { optionsQuery, shoppingQuery, stockQuery } from "../../api/queries";
import { LitButton, PlainButton } from "../../shared/Buttons";
import { Choice } from "../../shared/Choice";
import { FormRow } from "../../shared/FormRow";
import { Trouble } from "../../shared/Trouble";
import { useAttempt } from "../../shared/useAttempt";

/** Parts that lie here, and what to buy for all open jobs. */
function StockPage() {
  return (
    <Grid as="main" p={6} gap={8} templateColumns={{ base: "1fr", lg: "1fr 1fr" }}>
      <Stock />
      <Shopping />
    </Grid>
  );
}

function Stock() {
  const { data, error } = useQuery(stockQuery);
  const queries = useQueryClient();
  const { busy, trouble, attempt } = useAttempt();
  const { data: options } = useQuery(optionsQuery);
  const empty = { kind: "", value: "", rating: "", count: "1", safety: "", note: "" };
  const [form, setForm] = useState(empty);
  const put = (name: keyof typeof empty) => (value: string) => setForm({ ...form, [name]: value });
  const kind = form.kind || (options?.stock_kinds[0] ?? "");
  const body = { ...form, kind, count: Number(form.count) || 0 };
  const add = () =>
    attempt(body, async (key) => {
      await unwrap(client.POST("/api/stock", { headers: once(key), body }));
      setForm({ ...empty, kind });
      await queries.invalidateQueries();
    });
  return (
    <Stack gap={3}>
      <Heading fontSize="28px" fontWeight={500}>
        Stock
      </Heading>
      <form
        noValidate
        onSubmit={(event) => {
          event.preventDefault();
          void add();
        }}
      >
        <Grid templateColumns="1.2fr 1fr 1fr 0.6fr 0.8fr" gap={2} alignItems="end">
          <Choice
            label="Kind"
            value={kind}
            onChange={put("kind")}
            choices={(options?.stock_kinds ?? []).map((k) => ({ value: k, label: k }))}
          />
          <FormRow label="Value" value={form.value} onChange={put("value")} placeholder="22u" />
          <FormRow label="Volts or watts" value={form.rating} onChange={put("rating")} />
          <FormRow label="How many" value={form.count} onChange={put("count")} />
          <Choice
            label="Class"
            value={form.safety}
            onChange={put("safety")}
            choices={(options?.safety_classes ?? []).map((c) => ({ value: c, label: c || "none" }))}
          />
        </Grid>
        <Trouble error={trouble} />
        <LitButton type="submit" mt={2} busy={busy}>
          Put in stock
        </LitButton>
      </form>
      <Trouble error={error} />
      <Box overflowY="auto" maxH="520px" tabIndex={0} role="region" aria-label="Stock">
        <Table.Root size="sm">
          <Table.Header>
            <Table.Row bg="transparent">
              {["kind", "value", "rating", "class", "how many"].map((head) => (
                <Table.ColumnHeader key={head} p="4px" color="dim">
                  {head}
                </Table.ColumnHeader>
              ))}
            </Table.Row>
          </Table.Header>
          <Table.Body>
            {data?.lines.map((line) => (
              <Table.Row key={line.id} bg="transparent" data-testid="stock-line">
                <Table.Cell p="4px">{line.kind}</Table.Cell>
                <Table.Cell p="4px" fontFamily="mono">
                  {line.value}
                </Table.Cell>
                <Table.Cell p="4px" fontFamily="mono">
                  {line.rating}
                </Table.Cell>
                <Table.Cell p="4px">{line.safety}</Table.Cell>
                <Table.Cell p="4px">
                  <Count id={line.id} count={line.count} name={line.value} />
                </Table.Cell>
              </Table.Row>
            ))}
          </Table.Body>
        </Table.Root>
        {data?.lines.length === 0 && (
          <Text color="dim">
            Nothing is in stock yet; proposals then come from standard values.
          </Text>
        )}
      </Box>
    </Stack>
  );
}

function Count({ id, count, name }: { id: number; count: number; name: string }) {
  const queries = useQueryClient();
  const { attempt } = useAttempt();
  const [text, setText] = useState(String(count));
  const [seen, setSeen] = useState(count);
  if (count !== seen) {
    setSeen(count);
    setText(String(count));
  }
  const keep = () => {
    const wanted = Number(text);
    if (!/^\d+$/.test(text) || wanted === count) return setText(String(count));
    void attempt({ id, wanted }, async (key) => {
      const params = { path: { stock_id: id } };
      await unwrap(
        client.POST("/api/stock/{stock_id}/count", {
          params,
          headers: once(key),
          body: { count: wanted },
        }),
      );
      await queries.invalidateQueries();
    });
  };
  return (
    <Input
      h="44px"
      w="80px"
      bg="raised"
      borderColor="edge"
      fontFamily="mono"
      aria-label={`How many ${name}`}
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
    />
  );
}

function Shopping() {
  const { data, error } = useQuery(shoppingQuery);
  return (
    <Stack gap={3}>
      <Flex gap={3} align="center" wrap="wrap">
        <Heading fontSize="28px" fontWeight={500} flex="1">
          To buy, for all open jobs
        </Heading>
        <PlainButton asChild>
          <a href="/api/shopping-list.csv">As CSV</a>
        </PlainButton>
      </Flex>
      <Trouble error={error} />
      {data?.lines.length === 0 && (
        <Text color="dim">
          Nothing is on order. Answer a part with &quot;order&quot; and it stands here, less stock.
        </Text>
      )}
      {data?.lines.map((line) => (
        <Box key={line.words} borderTopWidth="1px" borderColor="edge" pt={1} data-testid="to-buy">
          <Text fontSize="17px">
            <b>{line.to_buy}</b> × {line.words}
          </Text>
          <Text fontSize="14px" color="dim">
            wanted {line.wanted}, in stock {line.in_stock}: {line.used_for.join("; ")}
          </Text>
        </Box>
      ))}
    </Stack>
  );
}

export const route = { Component: StockPage };
