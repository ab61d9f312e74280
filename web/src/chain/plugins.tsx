/** Plug-ins of this machine: opened by their path, offered among the steps, set by their own parameters; one that fails says so. */
import { Box, Flex } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schemas, type Step } from "../api/client";
import { queries } from "../session/store";
import { Do } from "../ui/buttons";
import { Choose } from "../ui/choices";
import { Input } from "../ui/fields";
import { complain, tell } from "../ui/messages";
import { Num } from "../ui/Num";

type Plugin = Schemas["PluginView"];

const OFTEN_MS = 2500;
const FEW = 12;

/** What is on the shelf; asked for again and again while a step uses it, since a plug-in can fail at any time. */
export function usePlugins(watched = false): Plugin[] {
  const found = useQuery({ queryKey: ["plugins"], queryFn: () => got(api.GET("/api/plugins")), refetchInterval: watched ? OFTEN_MS : false });
  return found.data ?? [];
}

/** After a plug-in failed, was tried again or taken away: what was rendered with it is opened anew. */
function anew() {
  for (const key of ["plugins", "opened", "sum", "levels", "levels estimated", "step levels", "crowding", "layout"])
    void queries.invalidateQueries({ queryKey: [key] });
}

/** Why a step with a plug-in is passed over, if it is. */
export function passedOver(step: Step, plugins: Plugin[]): string {
  if (step.kind !== "plugin") return "";
  const params = (step.params ?? {}) as { plugin?: string };
  const plugin = plugins.find((one) => one.key === params.plugin);
  return plugin ? plugin.passed_over : "is not on this machine's shelf; open its file";
}

export function pluginName(step: Step, plugins: Plugin[]): string | undefined {
  return plugins.find((one) => one.key === (step.params as { plugin?: string } | undefined)?.plugin)?.name;
}

/** A path is typed, the plug-in looked into in a process of its own, and put on the shelf. */
export function OpenPlugin({ onOpened }: { onOpened: (plugin: Plugin) => void }) {
  const [busy, setBusy] = useState(false);
  const open = async (path: string) => {
    if (!path.trim() || busy) return;
    setBusy(true);
    try {
      const opened = await got(api.POST("/api/plugins", { body: { path } }));
      anew();
      if (opened[0]) onOpened(opened[0]);
      tell(`${opened.map((one) => one.name).join(", ")} can be used as a step.`);
    } catch (error) {
      complain(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Input
      label="Path of a plug-in"
      w="100%"
      mono
      disabled={busy}
      placeholder={busy ? "being looked into" : "path of a plug-in (.vst3), then Enter"}
      title="It runs in a process of its own with a time limit; one that crashes is passed over and says so"
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") void open(event.currentTarget.value);
        if (event.key === "Escape") event.currentTarget.blur();
      }}
    />
  );
}

export function PluginPanel({ step, onChange }: { step: Step; onChange: (params: Record<string, unknown>, gesture?: string) => void }) {
  const plugins = usePlugins(true);
  const [filter, setFilter] = useState("");
  const params = (step.params ?? {}) as { plugin?: string; values?: Record<string, number> };
  const plugin = plugins.find((one) => one.key === params.plugin);
  const values = params.values ?? {};
  const reason = passedOver(step, plugins);
  const act = async (work: Promise<unknown>) => {
    try {
      await work;
      anew();
    } catch (error) {
      complain(error);
    }
  };
  const parameters = (plugin?.parameters ?? []).filter((one) => one.label.toLowerCase().includes(filter.toLowerCase()));
  return (
    <Flex direction="column" gap="6px">
      {reason && (
        <Box role="status" color="coral" fontSize="12px">
          Passed over: it {reason}.
        </Box>
      )}
      {!plugin && <OpenPlugin onOpened={(opened) => onChange({ plugin: opened.key, state: opened.state })} />}
      {plugin && (
        <>
          <Box color="dim" fontSize="12px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={plugin.path}>
            {[plugin.name, plugin.maker].filter(Boolean).join(", ")}
          </Box>
          {plugin.parameters.length > FEW && (
            <Input label="Find a parameter" placeholder="Find a parameter" value={filter} onChange={(event) => setFilter(event.target.value)} />
          )}
          {parameters.slice(0, 3 * FEW).map((one) => {
            const value = values[one.name] ?? one.default;
            const last = one.options.length - 1;
            return last > 0 ? (
              <Flex key={one.name} justify="space-between" align="center" gap="8px">
                <Box color="dim">{one.label}</Box>
                <Choose
                  label={one.label}
                  value={String(Math.round(value * last))}
                  options={one.options.map((name, i) => [String(i), name] as const)}
                  onChange={(chosen) => onChange({ values: { ...values, [one.name]: Number(chosen) / last } })}
                />
              </Flex>
            ) : (
              <Num
                key={one.name}
                label={one.label}
                value={value}
                low={0}
                high={1}
                digits={3}
                normal={one.default}
                onChange={(next, gesture) => onChange({ values: { ...values, [one.name]: next } }, gesture)}
              />
            );
          })}
          <Flex gap="5px" wrap="wrap">
            {plugin.passed_over && (
              <Do quiet onClick={() => void act(got(api.POST("/api/plugins/{key}/retry", { params: { path: { key: plugin.key } } })))}>
                Try it again
              </Do>
            )}
            <Do
              quiet
              hint="Steps that use it are kept, and passed over until it is opened again"
              onClick={() => void act(got(api.DELETE("/api/plugins/{key}", { params: { path: { key: plugin.key } } })))}
            >
              Take it off the shelf
            </Do>
          </Flex>
        </>
      )}
    </Flex>
  );
}
