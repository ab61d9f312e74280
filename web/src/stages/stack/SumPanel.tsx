/** The sum: its meters, who gives how much to it, its chain, versions, bundles, and what is stale in the library. */

import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { api, got, type Mix, type Schemas, type Step } from "../../api/client";
import { MixChain } from "../../bench/MixChain";
import { wide } from "../../bench/Placing";
import { Versions } from "../../bench/Versions";
import { ExportLine } from "../../between/ExportLine";
import { useShared } from "../../session/store";
import { Do } from "../../ui/buttons";
import { ControlOf, useControl } from "../../ui/controls";
import { TextField } from "../../ui/fields";
import { level, seconds } from "../../ui/format";
import { Fact, Facts, Heading, Line } from "../../ui/frames";
import { complain, tell } from "../../ui/messages";
import { CrowdedPairs } from "./Crowding";
import { LoadBundle } from "./LoadBundle";
import type { Version } from "./useDesignVersions";
import type { Named } from "./usePrinting";

interface Props {
  design: number;
  mix: Mix;
  layout: Schemas["Layout"] | null | undefined;
  /** What the next print is called and filed under. */
  printed: Named;
  onPrinted: (named: Named) => void;
  saved: () => Promise<void>;
  meters: Schemas["Sum"] | undefined;
  crowding: Schemas["Crowding"] | null;
  /** How a print is shifted. */
  shift: React.ReactNode;
  onChange: (mix: Mix, gesture?: string) => void;
  chosenStep: string | null;
  onChooseStep: (id: string | null) => void;
  versions: React.ComponentProps<typeof Versions<Version>>;
}

/** Correlation of left and right on a line from -1 to 1. */
function Correlation({ value }: { value: number | null | undefined }) {
  return (
    <Fact name="Correlation">
      <Flex align="center" gap="7px">
        <Box w="74px" h="5px" bg="ground" borderRadius="3px" position="relative">
          {value != null && (
            <Box position="absolute" top="-2px" left={`calc(${((value + 1) / 2) * 100}% - 2px)`} w="4px" h="9px" bg={value < 0 ? "coral" : "glass"} />
          )}
        </Box>
        {value == null ? "none" : `${value >= 0 ? "+" : ""}${value.toFixed(2)}`}
      </Flex>
    </Fact>
  );
}

export function SumPanel({
  design,
  mix,
  layout,
  printed,
  onPrinted,
  saved,
  meters,
  crowding,
  shift,
  onChange,
  chosenStep,
  onChooseStep,
  versions,
}: Props) {
  const library = useShared((state) => state.library);
  const sumLayout = useControl("Mix", "layout");
  const panLaw = useControl("Mix", "pan_law");
  const sumRate = useControl("Mix", "rate");
  const stale = useQuery({
    queryKey: ["stale", library],
    queryFn: () => got(api.GET("/api/lib/{library}/stack/stale", { params: { path: { library } } })),
  });
  const rebuild = async () => {
    try {
      await got(api.POST("/api/lib/{library}/stack/rebuild", { params: { path: { library } } }));
      tell("What is stale is being rebuilt; it can be followed under jobs.");
    } catch (error) {
      complain(error);
    }
  };
  const facts = meters?.facts;
  const read = (value: number | null | undefined, unit: string) => (meters ? level(value, unit) : "…");
  const named = (id: string) => mix.members.find((one) => one.id === id)?.name ?? mix.groups.find((one) => one.id === id)?.name ?? "";
  return (
    <>
      <Heading>Sum</Heading>
      {meters?.warning && (
        <Box role="status" color={meters.over ? "coral" : "amber"} fontSize="12px" data-testid="warning">
          {meters.warning}
        </Box>
      )}
      {layout?.poor && (
        <Box role="status" color="amber" fontSize="12px">
          {layout.poor}
        </Box>
      )}
      <Facts>
        <Fact name="Channels">
          <ControlOf control={sumLayout} value={mix.layout} folded onChange={(layout) => onChange({ ...mix, layout: layout })} />
        </Fact>
        {!wide(mix.layout) && (
          <Fact name="Pan law">
            <ControlOf control={panLaw} value={mix.pan_law} folded onChange={(law) => onChange({ ...mix, pan_law: law })} />
          </Fact>
        )}
        <Fact name="Rate">
          <ControlOf control={sumRate} value={mix.rate ?? null} folded onChange={(rate) => onChange({ ...mix, rate: rate })} />
        </Fact>
        <Fact name="Sample peak">{read(meters?.sample_peak_dbfs, "dBFS")}</Fact>
        <Fact name="True peak">{read(meters?.true_peak_dbtp, "dBTP")}</Fact>
        <Fact name="Crest factor">{read(facts?.crest_db, "dB")}</Fact>
        <Fact name="Loudness">{read(meters?.integrated_lufs, "LUFS")}</Fact>
        <Fact name="Loudest 400 ms">{read(meters?.max_momentary_lufs, "LUFS")}</Fact>
        <Fact name="Loudest 3 s">{read(meters?.max_short_term_lufs, "LUFS")}</Fact>
        <Correlation value={facts?.correlation} />
        <Fact name="Length">{meters ? seconds(meters.seconds) : "…"}</Fact>
      </Facts>
      {facts && facts.shares.length > 1 && (
        <>
          <Heading>Shares of the sum</Heading>
          <Box data-testid="shares">
            {[...facts.shares]
              .sort((a, b) => b.share - a.share)
              .slice(0, 8)
              .map((one) => (
                <Flex key={one.id} align="center" gap="8px" minH="20px">
                  <Box flex={1} minW={0} overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" color="dim">
                    {named(one.id)}
                  </Box>
                  <Box w="64px" h="4px" bg="ground" borderRadius="2px">
                    <Box
                      h="4px"
                      w={`${Math.max(2, 100 * one.share)}%`}
                      bg={one.id === facts.peak_by && meters?.warning ? "amber" : "glass"}
                      borderRadius="2px"
                    />
                  </Box>
                  <Box fontFamily="mono" fontSize="11px" w="38px" textAlign="right">
                    {(100 * one.share).toFixed(one.share < 0.1 ? 1 : 0)} %
                  </Box>
                </Flex>
              ))}
          </Box>
        </>
      )}
      {crowding && (
        <>
          <Heading>Layers that crowd each other</Heading>
          <CrowdedPairs mix={mix} crowding={crowding} onChange={onChange} />
        </>
      )}
      <Line />
      <Heading>Chain on the sum</Heading>
      <MixChain
        mix={mix}
        of=""
        chain={mix.chain as Step[]}
        onChange={(chain, gesture) => onChange({ ...mix, chain }, gesture)}
        chosen={chosenStep}
        onChoose={onChooseStep}
      />
      <Line />
      <Heading>Print</Heading>
      <TextField named label="Name" value={printed.name ?? ""} onCommit={(name) => onPrinted({ name: name.trim() })} />
      <TextField
        named
        label="Category"
        placeholder="none"
        value={printed.category ?? ""}
        onCommit={(category) => onPrinted({ category: category.trim() })}
      />
      {shift}
      <ExportLine title="Export the sum as a file" what={() => ({ designs: [design] })} ready={saved} />
      <Line />
      <Versions {...versions} />
      {(stale.data?.length ?? 0) > 0 && (
        <>
          <Line />
          <Heading>Made of what has changed since</Heading>
          {stale.data?.map((one) => (
            <Box key={`${one.kind} ${one.id}`} fontSize="12px" color="dim">
              <Box as="span" color="chalk">
                {one.name}
              </Box>{" "}
              ({one.kind}): {one.why}
            </Box>
          ))}
          <Flex>
            <Do
              onClick={() => void rebuild()}
              hint="Newer layers and placements are taken, prints made anew, and what is made of those in turn; what is locked stays"
            >
              Rebuild all
            </Do>
          </Flex>
        </>
      )}
      <Line />
      <Flex gap="6px" wrap="wrap">
        <Do onClick={() => window.open(`/api/lib/${library}/designs/${design}/bundle`, "_self")}>Save as bundle</Do>
        <LoadBundle />
      </Flex>
    </>
  );
}
