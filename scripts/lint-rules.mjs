/** What the linter finds of our own. */

const HASHES = /^(?:hash|tokenHash|keyHash|codeHash)$/;

/** Hash bytes are compared in constant time, or not at all. */
const hashInConstantTime = {
  create(context) {
    return {
      BinaryExpression(node) {
        if (!/^[!=]==$/.test(node.operator)) return;
        if (node.right.type === "Literal" || node.right.name === "undefined") return;
        for (const side of [node.left, node.right])
          if (side.type === "MemberExpression" && HASHES.test(side.property.name))
            context.report({ node: side, message: "Compare hash bytes with equalInConstantTime." });
      },
    };
  },
};

export default { meta: { name: "lucchetto" }, rules: { "hash-in-constant-time": hashInConstantTime } };
