/** Arrow keys between the tabs of the card (ARIA Authoring Practices, "Tabs"). */
export function startTabs() {
  return (event) => {
    const tab = event.target.closest?.("[role=tab]");
    if (!tab) return false;
    const tabs = [...tab.parentElement.querySelectorAll("[role=tab]")];
    const moves = { ArrowLeft: tabs.indexOf(tab) - 1, ArrowRight: tabs.indexOf(tab) + 1, Home: 0, End: tabs.length - 1 };
    if (!(event.key in moves)) return false;
    const next = tabs[(moves[event.key] + tabs.length) % tabs.length];
    next.focus();
    next.click();
    return true;
  };
}
