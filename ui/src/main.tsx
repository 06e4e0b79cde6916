import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import { AskPage } from "./ask/ask-page";
import { Problem } from "./client/api";
import { Frame } from "./common/frame";
import { applyTheme } from "./common/theme";
import { Toasts } from "./common/toasts";
import { FigurePage } from "./figure/figure-page";
import { MethodPage } from "./method/method-page";
import { QuestionPage } from "./question/question-page";
import { ReportPage } from "./report/report-page";
import { OverviewPage } from "./studies/overview-page";
import { StudiesPage } from "./studies/studies-page";
import { BringPage } from "./table/bring-page";
import { TablePage } from "./table/table-page";
import "./styles.css";

const client = new QueryClient({
  defaultOptions: { queries: { refetchOnWindowFocus: false, retry: (n, error) => n < 2 && !(error instanceof Problem && error.status !== undefined && error.status < 500) } },
});

const router = createBrowserRouter([
  {
    element: <Frame />,
    children: [
      { path: "/", element: <StudiesPage />, handle: { words: "Studies" } },
      { path: "/s/:study", element: <OverviewPage />, handle: { words: "Overview" } },
      { path: "/s/:study/bring", element: <BringPage />, handle: { words: "Bring in a table" } },
      { path: "/s/:study/ask/:id", element: <AskPage />, handle: { words: "Ask" } },
      { path: "/s/:study/t/:id", element: <TablePage /> },
      { path: "/s/:study/q/:id", element: <QuestionPage /> },
      { path: "/s/:study/f/:id", element: <FigurePage /> },
      { path: "/s/:study/r/:id", element: <ReportPage /> },
      { path: "/methods/:method", element: <MethodPage />, handle: { words: "About the method" } },
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
