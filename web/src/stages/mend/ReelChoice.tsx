/** Which review reel is open, or the single sound that is worked on. */
import { useQuery } from "@tanstack/react-query";
import { api, got } from "../../api/client";
import { useShared } from "../../session/store";
import { Choose } from "../../ui/choices";

export function ReelChoice() {
  const library = useShared((state) => state.library);
  const reel = useShared((state) => state.reel);
  const sound = useShared((state) => state.mendSound);
  const reels = useQuery({
    queryKey: ["reels", library],
    queryFn: () => got(api.GET("/api/lib/{library}/reels", { params: { path: { library } } })),
  });
  if (!reels.data?.length && reel === null) return null;
  return (
    <Choose
      label="Review reel"
      value={reel === null ? "" : String(reel)}
      maxW="210px"
      options={[
        ["", reel === null ? "Review reels" : sound === null ? "No reel" : "Back to the single sound"],
        ...(reels.data ?? []).map((one) => [String(one.id), `${one.name}, ${one.takes} ${one.takes === 1 ? "take" : "takes"}`] as const),
      ]}
      onChange={(value) => useShared.setState({ reel: value === "" ? null : Number(value) })}
    />
  );
}
