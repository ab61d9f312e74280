/** An export some of whose files failed: how many, which, why, and what can be done about it in one gesture. */
import { Box, Flex } from "@chakra-ui/react";
import type { Target } from "../../api/client";
import { exportFiles, useExported } from "../../between/export";
import { Do } from "../../ui/buttons";
import { useModels } from "../../ui/controls";
import { useFormats } from "../../ui/formats";
import { ReportPanel } from "../../ui/ReportPanel";

const SHOWN = 100;

export function ExportReport() {
  const { result, said, folder, target, heard } = useExported();
  const close = () => useExported.setState({ result: null });
  const formats = useFormats();
  const plain = useModels()?.Target?.defaults as Target | undefined;
  const asked = target ?? plain;
  if (!result) return null;
  const { over } = result;
  const again = (values: Partial<Target>) => {
    close();
    if (asked) void exportFiles({ ids: over }, folder, { ...asked, ...values }, heard);
  };
  return (
    <ReportPanel label="What was not written" title={`${result.files.length} written, ${result.failed.length} failed`} bad onClose={close}>
      <Box color="dim">{said}</Box>
      {over.length > 0 && (
        <Flex gap="6px" align="center" wrap="wrap">
          <Box>
            {over.length} {over.length === 1 ? "goes" : "go"} over full scale:
          </Box>
          <Do onClick={() => again({ over: "lower" })}>Level {over.length === 1 ? "it" : "those"} down</Do>
          <Do onClick={() => again({ over: "limit" })}>Limit {over.length === 1 ? "it" : "those"}</Do>
          {formats.find((one) => one.key === asked?.format)?.beyond.includes(32) && <Do onClick={() => again({ bits: 32 })}>Write 32 bit float</Do>}
        </Flex>
      )}
      <Box overflow="auto" tabIndex={0} fontSize="12px">
        {result.failed.slice(0, SHOWN).map((one) => (
          <Box key={one.path} borderTop="1px solid" borderColor="line" py="3px" color="coral">
            {one.reason.startsWith(one.path) ? one.reason : `${one.path}: ${one.reason}`}
          </Box>
        ))}
        {result.failed.length > SHOWN && <Box color="dim">and {result.failed.length - SHOWN} more</Box>}
      </Box>
    </ReportPanel>
  );
}
