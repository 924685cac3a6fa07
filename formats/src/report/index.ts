export { writeReportHtml } from './html';
export { writeReportPdf } from './pdf';
export { frameOf, type Report, type ReportLens, type ReportNumber, type ReportSetup, type ReportTake, type TopView } from './model';
