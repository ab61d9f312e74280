/** Kept versions of a design, and how they are compared with what is now. */
import { api, got, type Mix, type Node, type Schemas } from "../../api/client";
import { useComparing } from "../../bench/useComparing";
import { useVersions } from "../../bench/useVersions";
import { addToSheet } from "../../between/sheet";
import { openToHear } from "../../listening/opening";
import type { Heard } from "../../listening/state";
import { useShared } from "../../session/store";

export type Version = Schemas["VersionView"];

export function useDesignVersions(design: number, name: string, mix: Mix) {
  const library = useShared((state) => state.library);
  const versioning = useVersions({
    key: ["design", library, design],
    kind: "version",
    list: () => got(api.GET("/api/lib/{library}/designs/{id}/versions", { params: { path: { library, id: design } } })),
    keep: (doc: Mix) =>
      got(
        api.POST("/api/lib/{library}/designs/{id}/versions", { params: { path: { library, id: design } }, body: { name: "", notes: "", mix: doc } }),
      ),
    change: (id, values) => got(api.PATCH("/api/lib/{library}/versions/{id}", { params: { path: { library, id } }, body: values })),
  });
  const comparing = useComparing(versioning.list);
  /** Hear the version compared with, as loud as what is now (LUFS), or what is now again. */
  const compare = (now: Heard | undefined, lufs: number | null) =>
    void comparing.compare(now, (version) =>
      openToHear({ node: version.mix as Node }, library, name, { matchDb: (lufs ?? 0) - (version.lufs ?? lufs ?? 0) }),
    );
  /** What the panel of versions needs besides what is done there. */
  const panel = {
    ...{ versioning, comparing, now: mix },
    onKeep: () => void versioning.keep(mix),
    difference: (version: Version) =>
      got(
        api.POST("/api/lib/{library}/stack/difference", {
          params: { path: { library } },
          body: { before: version.mix as Mix, after: mix },
        }),
      ),
    hearNow: () => openToHear({ node: mix as Node }, library, "now"),
    hear: (version: Version) => openToHear({ node: version.mix as Node }, library, version.name, { lufs: version.lufs }),
    onSheet: (version: Version) => void addToSheet("versions", [version.id]),
  };
  return { ...comparing, compare, panel };
}

export type DesignVersions = ReturnType<typeof useDesignVersions>;
