import { Box, chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api, got, type Node, type Step } from "../../api/client";
import { Do } from "../../app/parts";
import { ink } from "../../app/theme";
import { useSettled } from "../../app/useSettled";
import { fitted } from "../../canvas/paint";

/** The learned noise profile as a curve, with the part it comes from. */
export function ProfileCurve({ library, base, chain, onLearn }: { library: string; base: Node; chain: Step[]; onLearn: (() => void) | null }) {
  const settled = useSettled(chain, 120);
  const last = settled[settled.length - 1];
  const part = (last?.params ?? {}) as { start_s?: number | null; end_s?: number | null };
  const profile = useQuery({
    queryKey: ["profile", library, base, settled.slice(0, -1), part.start_s, part.end_s],
    enabled: last?.kind === "noise_reduction" && last.on,
    queryFn: () => got(api.POST("/api/lib/{library}/mend/profile", { params: { path: { library } }, body: { node: base, chain: settled } })),
  });
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const pen = canvas.current && fitted(canvas.current);
    const data = profile.data;
    if (!pen || !data || !canvas.current) return;
    const { clientWidth: width, clientHeight: height } = canvas.current;
    const colours = ink();
    pen.strokeStyle = colours.coral;
    pen.lineWidth = 1.4;
    pen.beginPath();
    const x = (hz: number) => (Math.log(hz / 40) / Math.log(20_000 / 40)) * width;
    const top = Math.max(...data.dbfs) + 6;
    data.hz.forEach((hz, i) => {
      pen.lineTo(x(hz), ((top - data.dbfs[i]) / 70) * height);
    });
    pen.stroke();
    pen.fillStyle = colours.dim;
    pen.font = "9px 'JetBrains Mono Variable', monospace";
    for (const hz of [100, 1000, 10_000]) pen.fillText(hz >= 1000 ? `${hz / 1000}k` : `${hz}`, x(hz), height - 2);
    pen.fillText(`${top.toFixed(0)} dBFS`, 2, 9);
  }, [profile.data]);
  return (
    <Box>
      <Box color="dim" fontSize="12px" mb="3px">
        {profile.error
          ? profile.error.message
          : profile.data
            ? `Profile from ${profile.data.part[0].toFixed(2)} to ${profile.data.part[1].toFixed(2)} s${part.start_s == null ? ", the quietest part found" : ", marked"}`
            : "Learning the profile …"}
      </Box>
      <chakra.canvas ref={canvas} w="100%" h="62px" bg="sheet" borderRadius="6px" role="img" aria-label="Noise profile" />
      {onLearn && (
        <Box mt="4px">
          <Do quiet onClick={onLearn}>
            Learn from the mark
          </Do>
        </Box>
      )}
    </Box>
  );
}
