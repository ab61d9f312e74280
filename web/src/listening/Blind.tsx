/** Blind comparison of any two: which one is heard is hidden, guesses are counted, and what they say is told. */
import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { complain } from "../ui/messages";
import { openToHear, type ToOpen } from "./opening";
import { player } from "./player";

type Side = "one" | "other";

export interface Compared {
  name: string;
  what: () => Promise<Pick<ToOpen, "node" | "sound">>;
  /** Loudness (LUFS), by which both are heard alike. */
  lufs: number | null;
}

/** Either side is heard by name, and one of them hidden; both at the same loudness. */
export function Blind({ one, other }: { one: Compared; other: Compared }) {
  const library = useShared((state) => state.library);
  const [hidden, setHidden] = useState<Side>(() => (Math.random() < 0.5 ? "one" : "other"));
  const [heard, setHeard] = useState(false);
  const [score, setScore] = useState({ right: 0, of: 0 });
  const [verdict, setVerdict] = useState<Schemas["Verdict"] | null>(null);
  const sides = { one, other };
  const quieter = Math.min(one.lufs ?? 0, other.lufs ?? 0);
  const play = async (side: Side, title: string) => {
    const { what, lufs } = sides[side];
    try {
      const { node, sound } = await what();
      const opened = await openToHear({ node: node ?? undefined, sound: sound ?? undefined }, library, title, {
        lufs,
        matchDb: one.lufs !== null && other.lufs !== null && lufs !== null ? quieter - lufs : 0,
      });
      if (opened) await player.play(opened);
    } catch (error) {
      complain(error);
    }
  };
  const guess = async (side: Side) => {
    const fresh = { right: score.right + (side === hidden ? 1 : 0), of: score.of + 1 };
    setScore(fresh);
    setHidden(Math.random() < 0.5 ? "one" : "other");
    setHeard(false);
    try {
      setVerdict(await got(api.POST("/api/lib/{library}/blind", { params: { path: { library } }, body: fresh })));
    } catch (error) {
      complain(error);
    }
  };
  return (
    <Flex direction="column" gap="6px" role="group" aria-label="Blind comparison">
      <Flex gap="6px" wrap="wrap">
        <Do quiet onClick={() => void play("one", one.name)}>
          Hear {one.name}
        </Do>
        <Do quiet onClick={() => void play("other", other.name)}>
          Hear {other.name}
        </Do>
        <Do
          onClick={() => {
            setHeard(true);
            void play(hidden, "One of the two");
          }}
        >
          Hear one of the two
        </Do>
      </Flex>
      <Flex gap="6px" wrap="wrap">
        <Do disabled={!heard} onClick={() => void guess("one")}>
          It was {one.name}
        </Do>
        <Do disabled={!heard} onClick={() => void guess("other")}>
          It was {other.name}
        </Do>
      </Flex>
      <Box fontSize="12px" color="dim" role="status" data-testid="guesses">
        {verdict && score.of ? verdict.sentence : "Both are heard at the same loudness; which one is hidden changes after every guess."}
      </Box>
    </Flex>
  );
}
