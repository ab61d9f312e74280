/** What is waited for before something can be heard, in words. */
import { Box } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { api, got, type Node, type Step } from "../api/client";
import { useLate } from "../ui/useLate";
import { useListening } from "./state";

/** Steps that are on, wherever they stand in a node. */
function stepsOf(node: Node): Step[] {
  switch (node.kind) {
    case "chained":
      return [...stepsOf(node.node), ...node.chain.filter((step) => step.on !== false)];
    case "excerpt":
    case "loop":
      return stepsOf(node.node);
    case "difference":
      return [...stepsOf(node.node), ...stepsOf(node.without)];
    case "row":
      return node.nodes.flatMap(stepsOf);
    case "mix":
      return [
        ...(node.members ?? []).flatMap((member) => [...stepsOf(member.node), ...((member.chain ?? []) as Step[])]),
        ...(node.groups ?? []).flatMap((group) => (group.chain ?? []) as Step[]),
        ...((node.chain ?? []) as Step[]),
      ].filter((step) => step.on !== false);
    default:
      return [];
  }
}

export function Waiting() {
  const waiting = useListening((state) => state.waiting);
  const late = useLate(waiting !== null);
  const kinds = useQuery({ queryKey: ["steps"], staleTime: Number.POSITIVE_INFINITY, queryFn: () => got(api.GET("/api/steps")) }).data;
  const estimated = useListening((state) => state.heard?.opened.estimated && state.heard.title);
  if (waiting === null && estimated) return <Line>{estimated}: heard by estimates while all of it is measured</Line>;
  if (!late || waiting === null) return null;
  const whole = kinds?.filter((kind) => kind.whole) ?? [];
  const wanted = waiting.node ? stepsOf(waiting.node) : [...(waiting.chain ?? [])];
  const labels = [...new Set(wanted.flatMap((step) => whole.filter((kind) => kind.key === step.kind).map((kind) => kind.label)))];
  return (
    <Line>{labels.length ? `${waiting.title}: measuring all of it first, for ${labels.join(", ")}` : `${waiting.title} is being made ready`}</Line>
  );
}

function Line({ children }: { children: ReactNode }) {
  return (
    <Box
      role="status"
      position="absolute"
      bottom="calc(100% + 6px)"
      left="14px"
      px="9px"
      py="3px"
      bg="raised"
      border="1px solid"
      borderColor="line"
      borderRadius="6px"
      fontSize="12px"
      zIndex={3}
    >
      {children}
    </Box>
  );
}
