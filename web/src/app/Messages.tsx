/** What is said at the bottom, over everything else. */
import { Toast, Toaster } from "@chakra-ui/react";
import { Do } from "../ui/buttons";
import { toaster } from "../ui/messages";

export function Messages() {
  return (
    <Toaster toaster={toaster}>
      {(toast) => (
        <Toast.Root role={toast.type === "error" ? "alert" : "status"}>
          <Toast.Description>{toast.description}</Toast.Description>
          {toast.action && <Toast.ActionTrigger>{toast.action.label}</Toast.ActionTrigger>}
          <Do quiet onClick={() => toaster.remove(toast.id)}>
            Close
          </Do>
        </Toast.Root>
      )}
    </Toaster>
  );
}
