"""One package a stage: view, figure, actions. Stages never import each other."""
