import { notifyManager, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode, type ComponentType } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import { Problem } from "./client/api";
import { Broken } from "./common/broken";
import { Frame } from "./common/frame";
import { applyTheme } from "./common/theme";
import { Toasts } from "./common/toasts";
import "./styles.css";

// A box that was ticked must not wait for a timer to show it.
notifyManager.setScheduler(queueMicrotask);

const client = new QueryClient({
  defaultOptions: {
    queries: {
      refetchOnWindowFocus: false,
      retry: (n, error) => n < 2 && !(error instanceof Problem && error.status !== undefined && error.status < 500),
    },
  },
});

/** A page comes with its own script when it is first gone to; one that breaks leaves the frame standing. */
const page = (load: () => Promise<ComponentType>) => ({
  lazy: async () => ({ Component: await load() }),
  errorElement: <Broken />,
});

const router = createBrowserRouter([
  {
    element: <Frame />,
    errorElement: <Broken />,
    hydrateFallbackElement: <></>,
    children: [
      {
        path: "/",
        ...page(async () => (await import("./studies/studies-page")).StudiesPage),
        handle: { words: "Studies" },
      },
      {
        path: "/s/:study",
        ...page(async () => (await import("./studies/overview-page")).OverviewPage),
        handle: { words: "Overview" },
      },
      {
        path: "/s/:study/bring",
        ...page(async () => (await import("./table/bring-page")).BringPage),
        handle: { words: "Bring in a table" },
      },
      {
        path: "/s/:study/ask/:id",
        ...page(async () => (await import("./ask/ask-page")).AskPage),
        handle: { words: "Ask" },
      },
      { path: "/s/:study/t/:id", ...page(async () => (await import("./table/table-page")).TablePage) },
      { path: "/s/:study/q/:id", ...page(async () => (await import("./question/question-page")).QuestionPage) },
      { path: "/s/:study/f/:id", ...page(async () => (await import("./figure/figure-page")).FigurePage) },
      { path: "/s/:study/r/:id", ...page(async () => (await import("./report/report-page")).ReportPage) },
      {
        path: "/methods/:method",
        ...page(async () => (await import("./method/method-page")).MethodPage),
        handle: { words: "About the method" },
      },
      { path: "*", element: <p className="p-8">There is no such page.</p> },
    ],
  },
]);

applyTheme();
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
      <Toasts />
    </QueryClientProvider>
  </StrictMode>,
);
