/** Blind comparison of any two: which one is heard is hidden, guesses are counted, and what they say is told. */
import { Box, Flex } from "@chakra-ui/react";
import { useRef, useState } from "react";
import { api, got, type Schemas } from "../api/client";
import { useShared } from "../session/store";
import { Do } from "../ui/buttons";
import { complain } from "../ui/messages";
import { loudnessOf } from "./opening";
import { player } from "./player";
import type { Heard } from "./state";

type Side = "one" | "other";

export interface Compared {
  name: string;
  /** Opens it to be heard; null when something else was wished meanwhile. */
  hear: () => Promise<Heard | null>;
}

/** Either side is heard by name, and one of them hidden; both as loud as the quieter one. */
export function Blind({ one, other }: { one: Compared; other: Compared }) {
  const library = useShared((state) => state.library);
  const [hidden, setHidden] = useState<Side>(() => (Math.random() < 0.5 ? "one" : "other"));
  const [heard, setHeard] = useState(false);
  const [score, setScore] = useState({ right: 0, of: 0 });
  const [verdict, setVerdict] = useState<Schemas["Verdict"] | null>(null);
  const opened = useRef<Record<Side, Heard> | null>(null);
  const play = async (side: Side, title: string) => {
    try {
      if (!opened.current) {
        const [first, second] = [await one.hear(), await other.hear()];
        if (!first || !second) return false;
        const loud = [await loudnessOf(first), await loudnessOf(second)];
        const known = loud.filter((lufs) => lufs !== null);
        const by = (lufs: number | null) => (known.length === 2 && lufs !== null ? Math.min(...known) - lufs : 0);
        opened.current = { one: { ...first, lufs: null, matchDb: by(loud[0]) }, other: { ...second, lufs: null, matchDb: by(loud[1]) } };
      }
      await player.play({ ...opened.current[side], title });
      return true;
    } catch (error) {
      complain(error);
      return false;
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
        <Do onClick={() => void play(hidden, "One of the two").then((is) => is && setHeard(true))}>Hear one of the two</Do>
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
