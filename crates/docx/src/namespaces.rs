//! The namespaces that the elements of a document stand in.

use vineloom_export::math::omml::NAMESPACE as MATH;

/// The namespaces of every part.
pub(crate) const NAMESPACES: &str = "xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\" \
    xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\"";

/// Those of the body and of footnotes, which hold formulas and pictures.
pub(crate) fn of_body() -> String {
    format!(
        "{NAMESPACES} xmlns:m=\"{MATH}\" xmlns:wp=\"http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing\" \
         xmlns:a=\"http://schemas.openxmlformats.org/drawingml/2006/main\" xmlns:pic=\"http://schemas.openxmlformats.org/drawingml/2006/picture\""
    )
}
