/** Choosing what is heard: after, before, removed, or a kept state, which can be gone back to. */
import { Box } from "@chakra-ui/react";
import type { Node, Step } from "../../api/client";
import { Blind } from "../../listening/Blind";
import { openToHear } from "../../listening/opening";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { Fold } from "../../ui/Fold";
import type { Heard } from "./useHearing";

/** What was done so that what is compared is equally loud. */
const matchedSaid = (db: number) => (Math.abs(db) < 0.05 ? "as loud as now" : `played ${db > 0 ? "+" : ""}${db.toFixed(1)} dB to be as loud as now`);

export function HearingBar({ heard, onChain }: { heard: Heard; onChain: (chain: Step[]) => void }) {
  const { base, node, hearing, setHearing, keepsTime, alone, states, state, keepState, keepStates, matchDb } = heard;
  const library = useShared((shared) => shared.library);
  const against = state ? { name: state.name, node: { ...node, chain: state.chain } } : { name: "before", node: base };
  const side = (name: string, of: Node) => ({ name, hear: () => openToHear({ node: of }, library, name) });
  return (
    <>
      <Do on={hearing === "after"} onClick={() => setHearing("after")}>
        After
      </Do>
      <Do on={hearing === "before"} act="bypass" onClick={() => setHearing(hearing === "before" ? "after" : "before")}>
        Before
      </Do>
      <Do
        on={hearing === "removed" && keepsTime}
        act="removed"
        disabled={!keepsTime}
        hint={
          keepsTime
            ? "Hear what the chosen step (or all of them) removed (H)"
            : "Steps that change the length, or none at all, leave nothing to compare"
        }
        onClick={() => setHearing(hearing === "removed" ? "after" : "removed")}
      >
        Removed
      </Do>
      {states.map((one, i) => (
        <Do
          key={one.name}
          on={hearing === i}
          hint={`Hear ${one.name} at matched loudness; the ' key goes round`}
          onClick={() => setHearing(hearing === i ? "after" : i)}
        >
          {one.name.replace("State ", "")}
        </Do>
      ))}
      <Do quiet hint="Keep these steps as a state to compare with: four at most, the oldest goes" onClick={keepState}>
        Keep state
      </Do>
      {state && (
        <>
          <Do
            quiet
            hint="Make these steps the ones of this sound"
            onClick={() => {
              onChain(state.chain);
              setHearing("after");
            }}
          >
            Go back to it
          </Do>
          <Do
            quiet
            onClick={() => {
              keepStates(states.filter((one) => one !== state));
              setHearing("after");
            }}
          >
            Forget it
          </Do>
        </>
      )}
      <Fold
        over
        label="Blind"
        hint={`Whether you hear a difference between after and ${against.name}, without knowing which is which; choose a kept state to compare with that`}
      >
        <Blind key={JSON.stringify([node, against.node])} one={side("after", node)} other={side(against.name, against.node)} />
      </Fold>
      <Box color="dim" fontSize="12px">
        {matchDb !== null && matchedSaid(matchDb)}
        {hearing === "removed" && keepsTime ? `what ${alone ? "the chosen step" : "all steps"} took away` : ""}
      </Box>
    </>
  );
}
