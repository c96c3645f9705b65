/** The wording of the interface: one catalogue, chosen before the first text is read. The macros `t` and `Trans` read from here. */
import { i18n } from "@lingui/core";
import { TransNoContext, type TransProps } from "@lingui/react/server";
import { messages } from "./en.po";

i18n.loadAndActivate({ locale: "en", messages });

export { i18n };

/** A text with elements in it. It needs no provider around it, for the language does not change while a page is open. */
export const Trans = (props: TransProps) => <TransNoContext {...props} lingui={{ i18n }} />;
