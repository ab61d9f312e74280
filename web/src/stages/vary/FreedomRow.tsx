import { Box, Flex } from "@chakra-ui/react";
import { useState } from "react";
import type { Freedom } from "../../api/client";
import { Bare, Do } from "../../ui/buttons";
import { Choose, Tick } from "../../ui/choices";
import { ControlOf, useControl } from "../../ui/controls";
import { Input, TextField } from "../../ui/fields";
import { tell } from "../../ui/messages";
import { Num } from "../../ui/Num";
import { readNumber } from "../../ui/numbers";
import { atStrip, called, type Freeable, isNumber, moves, reach, SHAPES, written } from "./freedoms";
import { RangeStrip } from "./RangeStrip";

interface BoundProps {
  label: string;
  of: Freeable;
  value: number;
  onCommit: (value: number) => void;
}

/** One end of a range: typed with its unit, moved by arrow keys. */
function Bound({ label, of, value, onCommit }: BoundProps) {
  const [text, setText] = useState<string | null>(null);
  const { unit, digits, shown } = written(of);
  const commit = () => {
    const read = text === null ? null : readNumber(text.replace("×", ""), unit, Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY);
    setText(null);
    if (read !== null && "sentence" in read) tell(`${label}: ${read.sentence}`, true);
    else if (read !== null && of.how === "times" && read.value <= 0) tell(`${label}: a factor lies over 0.`, true);
    else if (read !== null) onCommit(read.value / shown);
  };
  return (
    <Input
      label={label}
      mono
      value={text ?? moves(of, value)}
      onChange={(event) => setText(event.target.value)}
      onFocus={(event) => event.target.select()}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setText(null);
        const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
        if (!by) return;
        event.preventDefault();
        onCommit(Number((value + ((by * 10 ** -digits) / shown) * (event.shiftKey ? 10 : 1)).toFixed(9)));
      }}
      w="64px"
      flexShrink={0}
      px="3px"
      textAlign="center"
    />
  );
}

interface Props {
  of: Freeable;
  owner: string;
  freedom: Freedom;
  open: boolean;
  links: readonly string[];
  onOpen: () => void;
  onChange: (fresh: Freedom | null, gesture?: string) => void;
  onHear: (() => void) | null;
}

/** One freed control: its range around the design's own value, or what it is drawn from. */
export function FreedomRow({ of, owner, freedom, open, links, onOpen, onChange, onHear }: Props) {
  const name = called(of);
  const share = useControl("Freedom", "share");
  const set = (values: Partial<Freedom>, gesture?: string) => onChange({ ...freedom, ...values }, gesture);
  const end = (which: "low" | "high", value: number) => {
    const fresh = { ...freedom, [which]: value };
    if (fresh.low > fresh.high) fresh[which === "low" ? "high" : "low"] = value;
    onChange(fresh);
  };
  const ranged = isNumber(of) && freedom.shape !== "list";
  return (
    <Box role="group" aria-label={`${owner} ${name}`} data-freedom={freedom.path} py="2px">
      <Flex align="center" gap="4px" minH="24px">
        <Bare aria-expanded={open} onClick={onOpen} title="How it moves" color={open ? "chalk" : "dim"} flex={1} minW={0} justifyContent="flex-start">
          <Box as="span" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
            {name}
          </Box>
          {freedom.link && (
            <Box as="span" color="amber" fontSize="11px" ml="6px" whiteSpace="nowrap">
              {freedom.opposite ? "against" : "with"} {freedom.link}
            </Box>
          )}
        </Bare>
        {onHear && (
          <Bare
            aria-label={`Hear the ends of ${owner} ${name}`}
            title="Hear it at one end, then at the other"
            onClick={onHear}
            color="glass"
            px="4px"
          >
            ends
          </Bare>
        )}
        <Bare aria-label={`Hold ${owner} ${name} still`} title="Hold still" onClick={() => onChange(null)} color="dim" px="4px">
          ×
        </Bare>
      </Flex>
      {ranged && (
        <Flex align="center" gap="4px">
          <Bound label={`${owner} ${name} from`} of={of} value={freedom.low} onCommit={(value) => end("low", value)} />
          <RangeStrip of={of} freedom={freedom} onChange={(low, high, gesture) => set({ low, high }, gesture)} />
          <Bound label={`${owner} ${name} to`} of={of} value={freedom.high} onCommit={(value) => end("high", value)} />
        </Flex>
      )}
      {isNumber(of) && freedom.shape === "list" && <Values of={of} label={`${owner} ${name} values`} freedom={freedom} onChange={set} />}
      {of.how === "share" && <ControlOf control={share} value={freedom.share} onChange={(next: number, gesture) => set({ share: next }, gesture)} />}
      {of.how === "choice" && <Options of={of} freedom={freedom} onChange={set} />}
      {of.how === "source" && (
        <TextField
          label={`${owner} sources from a search`}
          placeholder={freedom.candidates.length ? `${freedom.candidates.length} sounds` : "Words of a search, e.g. glass creak"}
          value={freedom.search}
          onCommit={(search) => set({ search, candidates: [] })}
        />
      )}
      {open && (
        <Flex direction="column" gap="6px" py="6px">
          {isNumber(of) && (
            <Choose
              label="Shape"
              value={freedom.shape}
              options={SHAPES}
              onChange={(shape) =>
                set({ shape: shape as Freedom["shape"], values: shape === "list" && !freedom.values.length ? begun(of) : freedom.values })
              }
            />
          )}
          {isNumber(of) && freedom.shape === "steps" && (
            <Num
              label="Step"
              value={freedom.step * written(of).shown}
              low={10 ** -written(of).digits}
              high={Math.max(12, (freedom.high - freedom.low) * written(of).shown)}
              unit={written(of).unit}
              digits={written(of).digits}
              onChange={(step, gesture) => step > 0 && set({ step: step / written(of).shown }, gesture)}
            />
          )}
          <TextField
            label="Moves together with"
            named
            placeholder="A word, the same for all that go together"
            value={freedom.link}
            onCommit={(link) => set({ link: link.trim() })}
          />
          {links.length > 0 && (
            <Flex gap="4px" wrap="wrap">
              {links.map((link) => (
                <Do key={link} quiet on={link === freedom.link} onClick={() => set({ link: link === freedom.link ? "" : link })}>
                  {link}
                </Do>
              ))}
            </Flex>
          )}
          {freedom.link && (
            <Tick label="Against the others" on={freedom.opposite} onChange={(opposite) => set({ opposite })}>
              Against the others
            </Tick>
          )}
        </Flex>
      )}
    </Box>
  );
}

/** Three values to begin a list with. */
const begun = (of: Freeable) => [0.25, 0.5, 0.75].map((share) => atStrip(of, share, reach(of, { low: of.usual[0], high: of.usual[1] } as Freedom)));

interface ListProps {
  of: Freeable;
  freedom: Freedom;
  onChange: (values: Partial<Freedom>) => void;
}

function Values({ of, label, freedom, onChange }: ListProps & { label: string }) {
  const { shown } = written(of);
  return (
    <TextField
      label={label}
      mono
      placeholder="-7, 0, 5"
      value={freedom.values.map((value) => String(Number(((value as number) * shown).toFixed(4)))).join(", ")}
      onCommit={(text) => {
        const values = text
          .split(/[,;\s]+/)
          .filter(Boolean)
          .map(Number);
        if (values.length && values.every((value) => Number.isFinite(value) && (of.how !== "times" || value > 0)))
          onChange({ values: values.map((value) => value / shown) });
        else tell(`${label}: numbers with commas between them${of.how === "times" ? ", each a factor over 0" : ""}.`, true);
      }}
    />
  );
}

function Options({ of, freedom, onChange }: ListProps) {
  const options = of.control.options;
  const values = freedom.values.length ? freedom.values : options.map((option) => option.value);
  return (
    <Flex gap="4px" wrap="wrap">
      {options.map((option) => {
        const on = values.includes(option.value);
        return (
          <Do
            key={String(option.value)}
            quiet
            on={on}
            onClick={() => {
              const fresh = on ? values.filter((value) => value !== option.value) : [...values, option.value];
              if (fresh.length) onChange({ values: fresh });
            }}
          >
            {option.label}
          </Do>
        );
      })}
    </Flex>
  );
}
