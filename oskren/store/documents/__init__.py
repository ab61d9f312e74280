"""What people make, as it is kept: designs, spreads, slice plans, shipments, drafts, with revisions and steps of undo."""
