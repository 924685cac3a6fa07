/**
 * The variance of what a least-squares fit says, from residuals that may depend on each other inside clusters (all the places of one track, all the
 * readings of one instrument) in any way, and not between them.
 */
export interface ClusteredVariance {
  /** over the one that independent residuals would give; 1 where nothing depends on anything */
  factor: number;
  /** of clusters of equal weight that would say it as well: the factor's own spread is √(2 / effective) */
  effective: number;
  /** Σ dᵀd: the variance that comes from the clusters, where residuals are independent and of the size 1 */
  own: number;
}

/** What one cluster adds to a function of the unknowns: d = J C q of its rows, q the function's gradient and C the covariance per unit of variance. */
export interface ClusterShare {
  /** dᵀ e, with the residuals of the cluster as the fit left them */
  score: number;
  /** dᵀ d: what it adds to the variance where residuals are independent and of the size 1 */
  own: number;
}

/**
 * Method   Σ (dᵀe)² over Σ σ² dᵀd (the sandwich of Liang & Zeger, Biometrika 73, 1986). A fit bends towards each cluster, which makes its residuals
 *          too small: they are put back by the share that white residuals lose in the same fit (the second of Bell & McCaffrey's corrections, Survey
 *          Methodology 28, 2002), as one number for all clusters.
 * @param variance of one residual, as independent ones
 * @param lost of Σ dᵀd, the share that the fit takes out of Σ (dᵀe)² where residuals are white, 0…1
 */
export function clusteredVariance(shares: readonly ClusterShare[], variance: number, lost: number): ClusteredVariance {
  let [seen, own, square] = [0, 0, 0];
  for (const s of shares) {
    seen += s.score * s.score;
    own += s.own;
    square += s.own * s.own;
  }
  if (!(own > 0 && variance > 0)) return { factor: 1, effective: 0, own };
  return { factor: seen / (Math.max(0.05, 1 - lost) * variance * own), effective: (own * own) / square, own };
}
